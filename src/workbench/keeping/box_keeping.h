#pragma once

#include "workbench/design/box_candidates.h"

namespace lalometer {

/// Candidates for a subject's box, as the book's document.
struct KeptBoxes {
  double power_w = 20.0;
  std::vector<BoxCandidate> candidates;
};
[[nodiscard]] std::string to_json(const KeptBoxes& boxes);
/// @param first  what a candidate is where its text does not tell.
[[nodiscard]] KeptBoxes boxes_from_json(const std::string& text, const BoxCandidate& first);

}  // namespace lalometer
