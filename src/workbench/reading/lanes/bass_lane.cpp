#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "workbench/bass/box_check.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"

/// What the near fields make at 1 m: in a wall, and from this cabinet.
namespace lalometer {
namespace {

/// What the box should play by its impedance, laid under the half space where both are valid.
void add_expected(LaneContent& content, const LaidTake& shown, const std::vector<LaidTake>& laid) {
  const NearFields& near = *shown.analysis->near;
  for (const LaidTake& one : laid) {
    if (!one.reading || !one.reading->box || one.take.variant_id != shown.take.variant_id) continue;
    const auto expected = expected_bass(*one.reading->box);
    const auto missing = expected ? missing_output(near, *expected) : std::nullopt;
    if (!missing) continue;
    Series s;
    s.label = "a sound box";
    s.style = kModelStyle;
    s.x = {expected->axis.hz().begin(), expected->axis.hz().end()};
    // Aligned above the tuning, where losses do not count.
    double off = 0.0;
    double count = 0.0;
    for (std::size_t i = 0; i < s.x.size(); ++i) {
      const double f = s.x[i];
      if (f < 2.5 * near.fb_hz->value || f > 5.0 * near.fb_hz->value || f > near.valid_to_hz)
        continue;
      const double own = std::abs(value_at(near.half_space, f));
      off += to_level_db(own, level_reference(near.half_space.quantity())) - expected->level_db[i];
      count += 1.0;
    }
    if (count == 0.0) continue;
    for (const double level : expected->level_db) s.y.push_back(level + off / count);
    content.add_curves().insert(content.add_curves().begin(), std::move(s));
    content.subtitle +=
        missing->missing_db > std::max(1.0, missing->half_width_db)
            ? fmt::format("; {:.1f} dB are missing about the tuning: a leak or an overdamped port",
                          missing->missing_db)
            : "; the port plays as a sound box's does";
    return;
  }
}

LaneContent build(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Bass at 1 m";
  content.left = {.quantity = AxisQuantity::kLevel,
                  .scale = AxisScale::kDecibel,
                  .unit = "dB",
                  .low = 60.0,
                  .high = 95.0};
  content.empty_text =
      "No sum of near fields on the score: what the parts make together at 1 m stands here.";
  const LaidTake* shown = shown_sum(laid, chosen);
  if (shown == nullptr) return content;
  const NearFields& near = *shown->analysis->near;
  content.subtitle = fmt::format("{} V", three_digits(near.drive_v));
  add_expected(content, *shown, laid);
  for (const LaidTake& one : laid) {
    if (!one.analysis || !one.analysis->near) continue;
    const NearFields& own = *one.analysis->near;
    const bool is_shown = &one == shown;
    const std::string name = series_label(one, laid);
    content.add_curves().push_back(level_series(
        own.full_space ? *own.full_space : own.half_space, one,
        own.full_space ? name + ", this cabinet" : name + ", in a wall", one.take.colour));
    content.add_curves().back().chosen = is_shown;
    if (is_shown && own.full_space)
      content.add_curves(Side::kRight).push_back(level_series(own.half_space, one, "in a wall", 6));
  }
  if (const auto range = extent(content.curves())) fit_level_scale(content.left, *range);
  content.right = content.left;
  if (!content.curves(Side::kRight).empty()) content.subtitle += "; thin: in a wall";
  hatch_invalid(content, {}, near.valid_to_hz);
  std::vector<LaneMark> flags;
  const auto flag = [&](const char* name, const std::optional<Estimate>& e) {
    if (e)
      flags.push_back({.name = fmt::format("{} {:.0f} Hz", name, e->value),
                       .sentence = "The half-space level has fallen by so many dB below its mean, "
                                   "and stays there.",
                       .style = shown->take.colour,
                       .low_hz = e->value - e->half_width,
                       .high_hz = e->value + e->half_width});
  };
  flag("F10", near.f10_hz);
  flag("F6", near.f6_hz);
  flag("F3", near.f3_hz);
  if (!flags.empty()) content.layers.emplace_back(FlagLayer{std::move(flags)});
  return content;
}

}  // namespace

LaneKind lanes::bass() {
  return {
      .id = "bass",
      .title = "Bass at 1 m",
      .explained =
          "The near fields' sum at 1 m: in a large wall, and from this cabinet, whose edges let "
          "the bass go round it.",
      .usual_weight = 0.8,
      .build = build,
      .needs = is_of_near_fields,
      .shown_at_first = false};
}

}  // namespace lalometer
