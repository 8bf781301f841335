#pragma once

#include <optional>
#include <vector>

#include "diagnosis/view/view.h"

/// What is seen once only: takes of one state from one place differ by the noise, and by how
/// exactly things were put back.
namespace lalometer {

/// Whether one of them is the other taken again.
[[nodiscard]] bool taken_again(const CaseTake& one, const CaseTake& other);

/// What two takes differ by, dB on the view's axis, less what they differ by as a whole; not a
/// number where either has no rows.
[[nodiscard]] std::vector<double> apart_db(const CaseView& view, const CaseTake& one,
                                           const CaseTake& other);

/// The rms of that over all repeats of whole responses, 300 Hz to 5 kHz: a microphone put back by
/// hand moves what is above. Nothing where none was taken again.
[[nodiscard]] std::optional<double> repeats_apart_db(const CaseView& view);

/// The same of the axis' take alone and of a third of an octave about each frequency of the view's
/// axis; empty where it was not taken again.
[[nodiscard]] std::vector<double> axis_apart_db(const CaseView& view);

}  // namespace lalometer
