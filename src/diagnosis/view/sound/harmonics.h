#pragma once

#include "diagnosis/cause.h"

/// Harmonics are made in the motor: what lies behind it (cone, box, edges, room) shapes them as it
/// shapes the fundamental; what lies before it (a network), or comes of two drivers that play the
/// same tone, does not. A common consequence of the circuit, no source.
namespace lalometer {

/// Share of a feature of the axis that the harmonics heard there have, mean over the second and the
/// third; nothing where none of them stands out of its noise all over it, or scatters by more than
/// a third of its size.
[[nodiscard]] std::optional<double> share_in_harmonics(const CaseTake& take,
                                                       const CurveFeature& feature,
                                                       const FrequencyAxis& axis,
                                                       const std::vector<double>& outstanding_db);

/// Adds what harmonics say of the feature that a claim explains.
void weigh_harmonics(const CaseView& view, const std::string& cause, Claim& claim);

}  // namespace lalometer
