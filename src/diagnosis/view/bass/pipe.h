#pragma once

#include <vector>

#include "diagnosis/view/view.h"

/// Ports that are heard as pipes, and what stands beside them.
namespace lalometer {

/// Where the reference curve has a port's pipe by 2 dB and more, within 12 % of the drawing's.
[[nodiscard]] std::vector<double> heard_pipes_hz(const CaseView& view);
/// Whether a place lies within a third of one: cone and pipe add up on one side and cancel on the
/// other, so that dips and peaks stand there which are no one else's.
[[nodiscard]] bool beside_heard_pipe(const CaseView& view, double hz);

}  // namespace lalometer
