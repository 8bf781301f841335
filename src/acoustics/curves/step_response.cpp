#include "acoustics/curves/step_response.h"

namespace lalometer {

StepResponse step_response(const ImpulseResponse& h, double from_s, double to_s) {
  StepResponse step;
  double sum = 0.0;
  for (std::size_t i = 0; i < h.samples.size(); ++i) {
    const double t = h.time_s(i);
    if (t < from_s || t > to_s) continue;
    sum += h.samples[i];
    step.time_s.push_back(t);
    step.value.push_back(sum);
  }
  return step;
}

}  // namespace lalometer
