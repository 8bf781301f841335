#pragma once

#include "workbench/practice/practice_cases.h"

namespace lalometer {

/// Practice cases drawn by lot: random two-ways of which six are sound, twenty have one fault and
/// four have two. The same seed draws the same cases on every machine.
[[nodiscard]] std::vector<PracticeCase> drawn_case_list(int seed);

}  // namespace lalometer
