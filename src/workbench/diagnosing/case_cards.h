#pragma once

#include <vector>

#include "workbench/diagnosing/case_file.h"

namespace lalometer {

/// A finding as the case shows it, after what the tester has merged and split.
struct CaseCard {
  Finding finding;
  FindingPlace place;                     ///< what a verdict on it is kept under
  std::vector<FindingPlace> merged = {};  ///< findings that count as part of it
};
/// All findings and causes without a place, what matters most first: how probable, and how much it
/// is heard. Nothing is lost: what was merged into a finding that is there no more stands alone
/// again. A finding that others were merged into spans their places and holds their causes (of a
/// cause that both have, the more probable one), takes and the greater severity. Probabilities stay
/// as computed: a cause that was split off is not made likelier by standing alone.
[[nodiscard]] std::vector<CaseCard> case_cards(const Diagnosis& diagnosis, const CaseFile& file);

}  // namespace lalometer
