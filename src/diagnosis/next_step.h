#pragma once

#include <optional>
#include <string>
#include <vector>

#include "diagnosis/finding.h"
#include "diagnosis/view/view.h"

namespace lalometer {

/// A take that is not there yet and would part the causes of a finding.
struct NextTake {
  const char* code;      ///< "free-air-impedance", "side", ...
  std::string sentence;  ///< what to do, its minutes, what it would tell
  double minutes = 0.0;
};

/// Of all takes that the case lacks, the one that parts the causes best for its time: the sum over
/// the causes of p (1 - p) and the square of how much the take would move that cause's odds, over
/// its minutes and one (a take always costs some setting up). Minutes are common practice, no
/// source. Nothing where no missing take says anything of these causes.
[[nodiscard]] std::optional<NextTake> next_take(const CaseView& view,
                                                const std::vector<FindingCause>& causes);

}  // namespace lalometer
