#include <cmath>

#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"
#include "workbench/studies/curve_studies.h"

/// Phase apart: what the magnitude asks for, and what is left.
namespace lalometer {
namespace {

/// Offsets between drivers that were taken alone, where several of them lie on the score.
std::string offsets_of(const std::vector<LaidTake>& laid) {
  std::vector<TimedTake> takes;
  const SubjectGeometry* geometry = nullptr;
  Id subject = 0;
  for (const LaidTake& one : laid) {
    if (!shows(one, TakeKind::kResponse) || one.take.conditions.driver.empty() || !one.geometry)
      continue;
    if (subject != 0 && one.take.subject_id != subject) continue;
    subject = one.take.subject_id;
    geometry = one.geometry.get();
    takes.push_back({&one.take, &one.analysis->curve, one.analysis->origin});
  }
  if (takes.size() < 2) return {};
  std::string text;
  for (const DriverOffset& o : driver_offsets(*geometry, takes).offsets) {
    text += fmt::format("; {} lies {:.0f} ± {:.0f} mm {} {}{}", o.behind,
                        std::abs(o.offset_m.value) * 1e3, o.offset_m.half_width * 1e3,
                        o.offset_m.value >= 0.0 ? "behind" : "before", o.of,
                        o.opposed ? ", of opposed polarity" : "");
  }
  return text;
}

LaneContent build(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Excess phase";
  content.left = {.quantity = AxisQuantity::kAngle, .unit = "°", .low = -180.0, .high = 180.0};
  content.right = content.left;
  content.empty_text = "No response with phase on the score.";
  const LaidTake* shown = nullptr;
  for (const LaidTake& one : laid)
    if (shows(one, TakeKind::kResponse) && one.analysis->curve.has_phase() &&
        (shown == nullptr || one.take.id == chosen))
      shown = &one;
  if (shown == nullptr) return content;
  std::string told;
  // Minimum phase costs some hundredths of a second a curve: of a family some are enough.
  constexpr std::size_t kMost = 12;
  std::size_t left_out = 0;
  for (const LaidTake& one : laid) {
    if (!shows(one, TakeKind::kResponse) || !one.analysis->curve.has_phase()) continue;
    if (&one != shown && content.curves().size() + 1 >= kMost) {
      ++left_out;
      continue;
    }
    const auto parts = phase_parts(one.analysis->curve);
    if (!parts) continue;
    Series s = series_for(one, laid, shown->take.id);
    put_wrapped(s, parts->excess_deg);
    content.add_curves().push_back(std::move(s));
    if (&one != shown) continue;
    told =
        fmt::format("delay of {:.0f} ± {:.0f} µs{} out; thin: minimum phase", parts->delay_s * 1e6,
                    parts->delay_half_width_s * 1e6, parts->inverted ? " and inversion" : "");
    Series minimum = series_for(one, laid, 0);
    const Response& m = parts->minimum;
    minimum.x = {m.axis().hz().begin(), m.axis().hz().end()};
    std::vector<double> phase;
    for (std::size_t i = 0; i < m.size(); ++i) phase.push_back(m.phase_deg(i));
    put_wrapped(minimum, phase);
    content.add_curves(Side::kRight).push_back(std::move(minimum));
  }
  if (content.curves().empty()) {
    content.empty_text = "Too little of a band to tell minimum phase from a delay.";
    return content;
  }
  hatch_invalid(content);
  content.subtitle = told + offsets_of(laid);
  if (left_out > 0) content.subtitle += fmt::format("; {} more not shown", left_out);
  return content;
}

}  // namespace

LaneKind lanes::excess() {
  return {.id = "excess-phase",
          .title = "Excess phase",
          .explained =
              "Phase beyond what the level itself asks for, less one delay: crossovers and late "
              "sound show here, and equalising cannot mend it.",
          .usual_weight = 0.7,
          .build = build,
          .needs = is_response,
          .shown_at_first = false};
}

}  // namespace lalometer
