#pragma once

#include <vector>

#include "acoustics/spectrum/response.h"

namespace lalometer {

enum class MeanHow {
  kPower,    ///< of squared magnitudes: places in a room, angles, samples. No phase
  kComplex,  ///< of values: repeats at one place on one clock. What is random falls with their
             ///< count
};

/// Mean of several curves of one quantity, on the first one's axis, valid where all are. Its spread
/// is the standard deviation of the mean over them.
/// @return an error for fewer than two curves, other quantities, or a complex mean without phase.
[[nodiscard]] Result<Response> mean_of(const std::vector<Response>& curves, MeanHow how);

}  // namespace lalometer
