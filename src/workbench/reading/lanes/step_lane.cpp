#include <algorithm>
#include <cmath>

#include "acoustics/curves/step_response.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"

/// Step responses over time.
namespace lalometer {
namespace {

constexpr double kBefore_ms = 0.6;

LaneContent build(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Step response";
  content.across = {.quantity = AxisQuantity::kTime, .unit = "ms", .low = -kBefore_ms, .high = 4.0};
  content.left = {.quantity = AxisQuantity::kLevel, .unit = "", .low = -0.6, .high = 1.1};
  content.empty_text = "No impulse response on the score. It comes with every recorded response.";
  double low = -0.3;
  for (const LaidTake& one : laid) {
    if (!one.analysis || !one.analysis->impulse) continue;
    const Analysis& a = *one.analysis;
    const double start = a.gate_start_s;
    const StepResponse step = step_response(*a.impulse, start - kBefore_ms / 1e3, start + 0.0041);
    Series s{.take_id = one.take.id,
             .label = series_label(one, laid),
             .style = one.take.colour,
             .chosen = one.take.id == chosen,
             .x = {},
             .y = step.value,
             .valid_low = -1e300};
    double peak = 1e-30;
    for (const double v : step.value) peak = std::max(peak, std::abs(v));
    for (const double t : step.time_s) s.x.push_back((t - start) * 1e3);
    for (double& y : s.y) {
      y /= peak;
      low = std::min(low, y - 0.1);
    }
    content.add_curves().push_back(std::move(s));
  }
  content.left.low = low;
  if (!content.curves().empty())
    content.subtitle = "re its peak, ms after the gate's start; which driver comes first, and how";
  return content;
}

bool holds_impulse(const LaidTake& one) {
  return has_impulse(one.take);
}

}  // namespace

LaneKind lanes::step() {
  return {.id = "step",
          .title = "Step response",
          .explained =
              "What comes out for a step at the input: drivers that come one after the other, or "
              "upside down, are seen at once.",
          .usual_weight = 0.6,
          .build = build,
          .needs = holds_impulse,
          .shown_at_first = false};
}

}  // namespace lalometer
