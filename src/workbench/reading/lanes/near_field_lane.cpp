#include <algorithm>

#include "base/text.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"

/// Near fields of cone and port, their sum, and what they tell.
namespace lalometer {
namespace {

void add_flags(LaneContent& content, const NearFields& near, const BoxFit* box) {
  std::vector<LaneMark> flags;
  if (box != nullptr)
    flags.push_back({.name = fmt::format("Z {:.1f} Hz", box->fb_hz.value),
                     .sentence = "Tuning as the impedance in the box tells it.",
                     .style = kModelStyle,
                     .low_hz = box->fb_hz.value - box->fb_hz.half_width,
                     .high_hz = box->fb_hz.value + box->fb_hz.half_width});
  if (near.fb_hz)
    flags.push_back({.name = fmt::format("fB {:.1f} Hz", near.fb_hz->value),
                     .sentence = "The air of box and port resonates: the cone moves least, the "
                                 "port plays.",
                     .style = 3,
                     .low_hz = near.fb_hz->value - near.fb_hz->half_width,
                     .high_hz = near.fb_hz->value + near.fb_hz->half_width});
  for (const StandingOut& one : near.port_resonances)
    flags.push_back(
        {.name = near.port_top
                     ? fmt::format("port −{:.0f} dB", near.port_top->level_db - one.level_db)
                     : std::string("port"),
         .sentence = "A resonance that the port lets out: its own pipe, or a standing wave of the "
                     "box. The figure is under the port's own top.",
         .style = 1,
         .low_hz = one.frequency_hz,
         .high_hz = one.frequency_hz});
  for (const Departure& one : near.cone_waves)
    flags.push_back({.name = {},
                     .sentence = fmt::format("A dip of {:.1f} dB of the cone: a standing wave in "
                                             "the box loads it, if one is due here.",
                                             -one.level_db),
                     .style = kModelStyle,
                     .low_hz = one.frequency_hz,
                     .high_hz = one.frequency_hz});
  std::stable_sort(flags.begin(), flags.end(), [](const LaneMark& a, const LaneMark& b) {
    return a.centre_hz() < b.centre_hz();
  });
  if (!flags.empty()) content.layers.emplace_back(FlagLayer{std::move(flags)});
}

LaneContent build(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Near field";
  content.left = {.quantity = AxisQuantity::kLevel,
                  .scale = AxisScale::kDecibel,
                  .unit = "dB",
                  .low = 70.0,
                  .high = 110.0};
  content.empty_text =
      "No sum of near fields on the score. Choose the near fields of all parts on the shelf and "
      "add "
      "them up (Ctrl+Space, \"Add near fields up\").";
  const LaidTake* shown = shown_sum(laid, chosen);
  if (shown == nullptr) return content;
  for (const LaidTake& one : laid) {
    if (&one == shown || !one.analysis || !one.analysis->near) continue;
    content.add_curves().push_back(
        level_series(one.analysis->near->sum, one, series_label(one, laid), one.take.colour));
  }
  const NearFields& near = *shown->analysis->near;
  content.add_curves().push_back(level_series(near.cone, *shown, "cone", 3));
  if (near.port) content.add_curves().push_back(level_series(*near.port, *shown, "port", 1));
  content.add_curves().push_back(level_series(near.sum, *shown, "sum", shown->take.colour));
  content.add_curves().back().chosen = true;
  std::vector<Series> louder = content.curves();
  if (const auto range = extent(louder)) fit_level_scale(content.left, *range);
  if (near.noise) {
    content.add_curves().push_back(level_series(*near.noise, *shown, "noise", kModelStyle));
    // The noise is told at 1 m: here it stands by as much higher as the near field does.
    Series& noise = content.add_curves().back();
    const double up = near.sum.level_db(0) - near.half_space.level_db(0);
    for (double& y : noise.y) y += up;
    // Far below it is nobody's concern.
    double most = -1e9;
    for (std::size_t i = 0; i < noise.x.size() && noise.x[i] <= near.valid_to_hz; ++i)
      if (noise.x[i] >= 20.0) most = std::max(most, noise.y[i]);
    if (most < content.left.low) content.add_curves().pop_back();
  }
  content.subtitle =
      fmt::format("{}{} V, scaled to the cone's area",
                  near.calibrated ? "dB re 20 µPa, " : "relative, ", three_digits(near.drive_v));
  hatch_invalid(content, {}, near.valid_to_hz);
  const BoxFit* box = nullptr;
  for (const LaidTake& one : laid)
    if (one.reading && one.reading->box && one.take.variant_id == shown->take.variant_id)
      box = &*one.reading->box;
  add_flags(content, near, box);
  return content;
}

}  // namespace

LaneKind lanes::near_field() {
  return {
      .id = "near-field",
      .title = "Near field",
      .explained =
          "What cone and port do by themselves, a few millimetres before each, and their sum by "
          "volume velocity.",
      .usual_weight = 0.9,
      .build = build,
      .needs = is_of_near_fields,
      .shown_at_first = false};
}

}  // namespace lalometer
