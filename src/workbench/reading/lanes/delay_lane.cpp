#include <algorithm>
#include <cmath>

#include "acoustics/curves/phase_parts.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"

/// Group delay of responses.
namespace lalometer {
namespace {

LaneContent build(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Group delay";
  content.left = {.quantity = AxisQuantity::kTime, .unit = "ms", .low = -1.0, .high = 10.0};
  content.empty_text = "No response with phase on the score.";
  std::vector<double> all;
  for (const LaidTake& one : laid) {
    if (!shows(one, TakeKind::kResponse) || !one.analysis->curve.has_phase()) continue;
    Series s = series_for(one, laid, chosen);
    for (const double delay : group_delay_s(one.analysis->curve)) s.y.push_back(1e3 * delay);
    for (std::size_t i = 0; i < s.y.size(); ++i)
      if (std::isfinite(s.y[i]) && s.x[i] > 20.0 && s.x[i] < 20000.0) all.push_back(s.y[i]);
    content.add_curves().push_back(std::move(s));
  }
  if (content.curves().empty()) return content;
  hatch_invalid(content);
  content.subtitle = "ms, flight time out, over a sixth of an octave";
  if (all.size() > 10) {
    // A reflection's spikes say little; most of the curve is what one wants to see.
    std::sort(all.begin(), all.end());
    const double low = all[all.size() / 50];
    const double high = all[all.size() - 1 - all.size() / 50];
    const double room = std::max(0.15 * (high - low), 0.2);
    content.left.low = std::floor((low - room) * 2.0) / 2.0;
    content.left.high = std::ceil((high + room) * 2.0) / 2.0;
  }
  return content;
}

}  // namespace

LaneKind lanes::delay() {
  return {.id = "group-delay",
          .title = "Group delay",
          .explained = "How much later each band comes: the slope of the phase.",
          .usual_weight = 0.6,
          .build = build,
          .needs = is_response,
          .shown_at_first = false};
}

}  // namespace lalometer
