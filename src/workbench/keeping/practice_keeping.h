#pragma once

#include "workbench/practice/practice_cases.h"

namespace lalometer {

/// Which case a subject is and what verdict was given, as the book's document.
[[nodiscard]] std::string to_json(const CaseState& state);
/// Empty where the text is none.
[[nodiscard]] CaseState case_state_from_json(const std::string& text);

}  // namespace lalometer
