#pragma once

#include "workbench/practice/practice_cases.h"

namespace lalometer {

/// The cases with their files for the practice bench, from the first grade to the last.
[[nodiscard]] std::vector<PracticeCase> case_list();

}  // namespace lalometer
