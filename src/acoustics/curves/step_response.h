#pragma once

#include <vector>

#include "acoustics/signal/impulse_response.h"

namespace lalometer {

/// What comes out for a step at the input: the running sum of the impulse response, over its own
/// time, from `from_s` to `to_s`. In the impulse's unit. What lies before `from_s`
/// is left out (the excitation's own low end would make it drift).
struct StepResponse {
  std::vector<double> time_s;
  std::vector<double> value;
};
[[nodiscard]] StepResponse step_response(const ImpulseResponse& impulse, double from_s,
                                         double to_s);

}  // namespace lalometer
