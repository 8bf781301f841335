#pragma once

#include <functional>
#include <stop_token>
#include <vector>

#include "acoustics/network/design/topology.h"

namespace lalometer {

/// Departures that should vanish, for a theta.
using LadderResidual = std::function<std::vector<double>(const LadderTheta&)>;

struct LadderFit {
  LadderTheta theta;
  double cost = 0.0;  ///< sum of squares
};
/// Damped least squares (Levenberg 1944, Marquardt 1963) with differences for derivatives; elements
/// stay in their ranges. Ends where a round gains less than a thousandth, or on a stop.
[[nodiscard]] LadderFit fitted_ladder(const LadderResidual& residual, LadderTheta start,
                                      const std::vector<ElementRange>& ranges, int rounds,
                                      const std::stop_token& stop);

}  // namespace lalometer
