#pragma once

#include "diagnosis/finding.h"
#include "diagnosis/material.h"

namespace lalometer {

/// What is wrong, why it is believed, and what to do next. Causes compete for what was seen: of one
/// feature their odds stand against one another and against an ordinary loudspeaker.
[[nodiscard]] Diagnosis diagnose(const CaseMaterial& material);

}  // namespace lalometer
