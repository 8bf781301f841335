#pragma once

#include "base/progress.h"
#include "diagnosis/finding.h"
#include "diagnosis/material.h"

namespace lalometer {

struct ImpedanceSide;

/// What is wrong, why it is believed, and what to do next. Causes compete for what was seen: of one
/// feature their odds stand against one another and against an ordinary loudspeaker.
/// @param known  impedance_side() of this material, where it is kept from before; may be null
[[nodiscard]] Diagnosis diagnose(const CaseMaterial& material, const ImpedanceSide* known = nullptr,
                                 const Parallel& parallel = in_turn);

}  // namespace lalometer
