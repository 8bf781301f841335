#include <algorithm>
#include <cmath>

#include "acoustics/curves/difference.h"
#include "base/text.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"

/// Responses against the chosen one.
namespace lalometer {
namespace {

/// By how much one take's level differs from another's by its drive and distance alone, dB.
double by_conditions_db(const Take& of, const Take& from) {
  return 20.0 * std::log10(of.conditions.drive_v / from.conditions.drive_v *
                           place_of(from).distance_m / place_of(of).distance_m);
}

/// The offset a sheet's curve is free in: its mean difference over the middle of the band.
double free_offset(const CurveDifference& d) {
  double sum = 0.0;
  double count = 0.0;
  for (std::size_t i = 0; i < d.frequency_hz.size(); ++i) {
    if (d.frequency_hz[i] < 300.0 || d.frequency_hz[i] > 3000.0) continue;
    sum += d.level_db[i];
    count += 1.0;
  }
  return count > 0.0 ? sum / count : 0.0;
}

/// Where a sheet and a measurement differ by more than both may be off, over a third of an octave
/// at least.
std::string real_ones(const Series& s) {
  // Trace 0.3, measurement 0.5, one sample of a driver against another 1 dB (common practice).
  constexpr double kOff_db = 1.5;
  std::string text;
  std::size_t from = 0;
  const auto close = [&](std::size_t to) {
    if (to <= from || s.x[to - 1] < s.x[from] * std::exp2(1.0 / 3.0)) return;
    double sum = 0.0;
    for (std::size_t i = from; i < to; ++i) sum += s.y[i];
    text += fmt::format("{}{:+.1f} dB from {} to {}", text.empty() ? "" : ", ",
                        sum / static_cast<double>(to - from), frequency_text(s.x[from]),
                        frequency_text(s.x[to - 1]));
  };
  for (std::size_t i = 0; i < s.x.size(); ++i) {
    const bool runs_on = i > from && std::abs(s.y[i]) > kOff_db && (s.y[i] > 0) == (s.y[from] > 0);
    if (runs_on) continue;
    close(i);
    from = i;
  }
  if (!s.x.empty()) close(s.x.size());
  return text.empty() ? "; no difference from the sheet is beyond doubt"
                      : "; real against the sheet: " + text;
}

LaneContent build(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Difference";
  content.left = {.quantity = AxisQuantity::kLevel,
                  .scale = AxisScale::kDecibel,
                  .unit = "dB",
                  .low = -6.0,
                  .high = 6.0};
  content.all_spreads = true;
  content.empty_text =
      "Two responses are needed: the chosen one is what the others are held against.";
  const LaidTake* from = nullptr;
  for (const LaidTake& one : laid)
    if (shows(one, TakeKind::kResponse) && (from == nullptr || one.take.id == chosen)) from = &one;
  if (from == nullptr) return content;
  bool repeat_known = true;
  bool moved = false;
  std::string told;
  for (const LaidTake& one : laid) {
    if (&one == from || !shows(one, TakeKind::kResponse)) continue;
    const auto d = difference_of(one.analysis->curve, from->analysis->curve);
    if (!d) continue;
    Series s = series_for(one, laid, 0);
    s.x = d->frequency_hz;
    s.valid_low = 0.0;
    s.valid_high = 1e300;
    double out = by_conditions_db(one.take, from->take);
    moved = moved || out != 0.0;
    const auto free = [](const Take& t) {
      return t.form == RawForm::kChartPicture && !t.conditions.chart.drive_told;
    };
    if (free(one.take) || free(from->take)) {
      out = free_offset(*d);
      told = fmt::format("; offset of {:.1f} dB taken out: the sheet tells no drive", out);
    }
    for (const double level : d->level_db) s.y.push_back(level - out);
    s.spread = d->half_width_db;
    if (one.take.form == RawForm::kChartPicture || from->take.form == RawForm::kChartPicture)
      told += real_ones(s);
    repeat_known = repeat_known && !d->half_width_db.empty();
    content.add_curves().push_back(std::move(s));
  }
  if (content.curves().empty()) return content;
  content.subtitle = fmt::format("re {}", series_label(*from, laid));
  content.subtitle += repeat_known ? "; band: repeat error, 95 %"
                                   : "; repeat error not known: below 1 dB it is no difference";
  if (moved) content.subtitle += "; drive and distance out";
  content.subtitle += told;
  if (const auto range = extent(content.curves())) {
    const double reach =
        std::clamp(std::ceil(std::max(std::abs(range->first), std::abs(range->second)) / 3.0) * 3.0,
                   6.0, 30.0);
    content.left.low = -reach;
    content.left.high = reach;
  }
  return content;
}

}  // namespace

LaneKind lanes::difference() {
  return {.id = "difference",
          .title = "Difference",
          .explained =
              "Each laid response less the chosen one, with the repeat error as a band: what lies "
              "within it is no difference.",
          .usual_weight = 0.7,
          .build = build,
          .needs = is_response,
          .shown_at_first = false};
}

}  // namespace lalometer
