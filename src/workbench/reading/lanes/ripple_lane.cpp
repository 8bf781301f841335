#include <algorithm>
#include <cmath>

#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"

/// What the fitted circuit leaves of an impedance.
namespace lalometer {
namespace {

LaneContent build(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Ripple of the impedance";
  content.left.unit = "%";
  content.left.high = 5.0;
  content.empty_text =
      "No impedance that a fit follows on the score. What the fit leaves are secondary resonances: "
      "standing waves, panels, suspension.";
  double highest = 2.0;
  double top = 0.0;
  for (const LaidTake& one : laid) {
    if (!shows(one, TakeKind::kImpedance) || !one.reading || one.reading->motor() == nullptr)
      continue;
    Series s = series_for(one, laid, chosen);
    const Response& curve = one.analysis->curve;
    const FittedImpedance& motor = *one.reading->motor();
    double limit = one.reading->box ? one.reading->box->fitted_to_hz : curve.axis().back() * 1.01;
    // What was found beyond the fitted range was found on this curve too: it is shown as valid.
    for (const Wiggle& w : one.reading->wiggles) {
      limit = std::max(limit, 1.15 * w.frequency_hz.value);
      highest = std::max(highest, w.height_percent);
    }
    for (std::size_t i = 0; i < curve.size(); ++i) {
      const double f = curve.axis()[i];
      const auto model = motor.at(f);
      const double off = curve.has_phase() ? std::abs(curve.value(i) / model - 1.0)
                                           : std::abs(curve.magnitude(i) / std::abs(model) - 1.0);
      s.y.push_back(f > limit * 1.3 ? kNaN : 100.0 * off);
    }
    s.valid_high = std::min(s.valid_high, limit);
    // Far above the resonance a coil goes its own way, and the scale is not for that.
    double scaled_to = limit / 1.15;
    if (one.reading->driver) {
      scaled_to = std::min(scaled_to, 10.0 * one.reading->driver->fs_hz.value);
      for (const Wiggle& w : one.reading->wiggles)
        scaled_to = std::max(scaled_to, 1.05 * w.frequency_hz.value);
    }
    for (std::size_t i = 0; i < s.x.size(); ++i) {
      if (s.x[i] > 20.0 && s.x[i] < scaled_to && std::isfinite(s.y[i]))
        highest = std::max(highest, s.y[i]);
    }
    top = std::max(top, limit);
    content.add_curves().push_back(std::move(s));
  }
  if (!content.curves().empty()) {
    content.subtitle = "what the fitted model leaves, % of the magnitude";
    hatch_invalid(content, {}, top);
    content.left.high = std::min(60.0, std::ceil(highest * 1.15));
  }
  return content;
}

}  // namespace

LaneKind lanes::ripple() {
  return {.id = "loops",
          .title = "Ripple of the impedance",
          .explained =
              "What the fitted circuit leaves of an impedance: standing waves, panels and "
              "suspensions stand out of it as secondary resonances.",
          .usual_weight = 0.6,
          .build = build,
          .needs = is_impedance};
}

}  // namespace lalometer
