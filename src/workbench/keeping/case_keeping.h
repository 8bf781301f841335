#pragma once

#include "workbench/diagnosing/case_file.h"

namespace lalometer {

/// A case as the book keeps it. What is no such text reads as an empty one.
[[nodiscard]] std::string to_json(const CaseFile& file);
[[nodiscard]] CaseFile case_file_from_json(const std::string& text);

}  // namespace lalometer
