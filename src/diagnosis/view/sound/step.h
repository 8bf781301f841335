#pragma once

#include <optional>

#include "diagnosis/view/view.h"

namespace lalometer {

/// How much of the step that the front foretells stands in the level on the axis.
struct StepShare {
  double share = 0.0;        ///< 1: all of it, 0: a network or a wall has made it up
  double foretold_db = 0.0;  ///< what the front makes of it within the range looked at
  double low_hz = 0.0, high_hz = 0.0;
  double noise_db = 0.0;                      ///< what repeats differ by, rms; 0: there are none
  std::optional<double> near = std::nullopt;  ///< the same of the driver's near field
};
/// Least squares of the level, the least of all repeats, against the foretold one and a constant,
/// from where the curve begins, or twice where the box ends its bass, to three times the step or
/// half an octave under the driver's crossover. Nothing without a drawing, where the curve begins
/// above 0.6 of the step, or where less than 2 dB are foretold there.
[[nodiscard]] std::optional<StepShare> step_share(const CaseView& view);

}  // namespace lalometer
