#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"
#include "workbench/spin/angle_set.h"

/// What equalising would do, and what it must leave.
namespace lalometer {
namespace {

LaneContent build(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Equalised";
  content.left = {.quantity = AxisQuantity::kLevel,
                  .scale = AxisScale::kDecibel,
                  .unit = "dB",
                  .low = 50.0,
                  .high = 100.0};
  content.right = {.quantity = AxisQuantity::kLevel, .unit = "dB", .low = -10.0, .high = 40.0};
  content.empty_text = no_set_text(laid);
  const auto sets = shown_sets(laid, chosen);
  if (sets.empty()) return content;
  const LaidTake& one = *sets.front();
  if (!one.set->advice) {
    if (!one.set->problem.empty()) content.empty_text = one.set->problem;
    return content;
  }
  const EqualiseAdvice& advice = *one.set->advice;
  content.add_curves().push_back(set_series(one, advice.target_db, "target", kModelStyle));
  content.add_curves().push_back(set_series(one, advice.before_db, "before", 0));
  Series after = set_series(one, advice.equalisation.after_db, "after", 1);
  after.chosen = true;
  content.add_curves().push_back(std::move(after));
  std::vector<double> gain(advice.before_db.size());
  for (std::size_t i = 0; i < gain.size(); ++i)
    gain[i] = advice.equalisation.after_db[i] - advice.before_db[i];
  content.add_curves(Side::kRight).push_back(set_series(one, gain, "filters", 3));
  // As high as what may be mended, not as the roll-off is deep.
  std::vector<Series> within = content.curves();
  for (Series& s : within) {
    s.valid_low = std::max(s.valid_low, advice.from_hz);
    s.valid_high = std::min(s.valid_high, advice.to_hz);
  }
  if (const auto range = extent(within)) fit_level_scale(content.left, *range);
  content.right.high = content.right.low + (content.left.high - content.left.low);
  hatch_invalid(content);
  std::vector<LaneMark> left;
  for (const LeftAlone& range : advice.refused)
    left.push_back({range.what.empty() ? "left alone" : range.what,
                    fmt::format("{} to {} is left: {}", frequency_text(range.low_hz),
                                frequency_text(range.high_hz), range.reason),
                    kModelStyle, range.low_hz, range.high_hz});
  content.layers.emplace_back(MarkLayer{std::move(left)});
  content.subtitle = fmt::format(
      "{}: {} filter{}, {:.1f} dB rms off the target before, {:.1f} after", set_label(one),
      advice.equalisation.filters.size(), advice.equalisation.filters.size() == 1 ? "" : "s",
      advice.equalisation.deviation_before_db, advice.equalisation.deviation_after_db);
  return content;
}

}  // namespace

LaneKind lanes::equalised() {
  return {.id = "equalised",
          .title = "Equalised",
          .explained =
              "The curve before and after the filters of the equaliser's page; bars mark "
              "what is left alone, and say why.",
          .usual_weight = 0.9,
          .build = build,
          .needs = is_of_set,
          .shown_at_first = false,
          .wants_angles = true,
          .wants_advice = true};
}

}  // namespace lalometer
