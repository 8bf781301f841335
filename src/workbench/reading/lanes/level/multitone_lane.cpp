#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "workbench/level/level_nodes.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"

/// Multitones: the tones, and under them all that is none of them.
namespace lalometer {
namespace {

bool is_read(const LaidTake& one) {
  return one.time && one.time->multitone;
}

LaneContent build(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Multitone";
  content.left = {.quantity = AxisQuantity::kLevel,
                  .scale = AxisScale::kDecibel,
                  .unit = "dB",
                  .low = 0.0,
                  .high = 100.0};
  content.empty_text =
      "No multitone on the score: read a recording of one with its tones (a set's tones_hz).";
  double top = -1e9;
  for (const LaidTake& one : laid) {
    if (one.time && holds_multitone(one.take) && !one.time->problem.empty())
      content.empty_text = one.time->problem;
    if (!is_read(one)) continue;
    const MultitoneStudy& s = *one.time->multitone;
    const auto series = [&](const std::vector<double>& x, const std::vector<double>& rms,
                            const std::string& label) {
      Series c{.take_id = one.take.id,
               .label = label,
               .style = one.take.colour,
               .chosen = one.take.id == chosen,
               .x = x,
               .y = {}};
      for (const double r : rms) c.y.push_back(std::isfinite(r) ? s.level_db(r) : kNaN);
      content.add_curves().push_back(std::move(c));
    };
    // Each tone stands as a needle, two of its neighbours' gaps apart from them.
    std::vector<double> x;
    std::vector<double> needles;
    for (std::size_t i = 0; i < s.reading.tones_hz.size(); ++i) {
      const double f = s.reading.tones_hz[i];
      for (const double at : {f * 0.9999, f, f * 1.0001, f * 1.0002}) x.push_back(at);
      needles.insert(needles.end(), {1e-20, s.reading.tone[i], 1e-20, kNaN});
      top = std::max(top, s.level_db(s.reading.tone[i]));
    }
    series(x, needles, series_label(one, laid) + ", tones");
    series(s.reading.band_hz, s.reading.rest, series_label(one, laid) + ", the rest");
  }
  if (content.curves().empty()) return content;
  content.left.high = std::ceil((top + 5.0) / 10.0) * 10.0;
  content.left.low = content.left.high - 100.0;
  content.subtitle = "tones, and all that is none of them in third octaves, dB";
  const LaidTake* told = nullptr;
  for (const LaidTake& one : laid)
    if (is_read(one) && (told == nullptr || one.take.id == chosen)) told = &one;
  const double range = told->time->multitone->reading.range_db();
  if (std::isfinite(range)) content.subtitle += fmt::format("; range {:.0f} dB", range);
  return content;
}

std::string rest_at(const LaidTake& one, double f, std::complex<double>) {
  if (!is_read(one)) return "–";
  const MultitoneReading& r = one.time->multitone->reading;
  const auto band = std::min_element(r.band_hz.begin(), r.band_hz.end(), [&](double a, double b) {
    return std::abs(std::log(a / f)) < std::abs(std::log(b / f));
  });
  const double rest = r.rest[static_cast<std::size_t>(band - r.band_hz.begin())];
  return std::isfinite(rest)
             ? fmt::format("{:.0f} dB beside the tones", one.time->multitone->level_db(rest))
             : "no room between the tones";
}

}  // namespace

LaneKind lanes::multitone() {
  return {.id = "multitone",
          .title = "Multitone",
          .explained =
              "Many tones at once, as music is: what comes back that was not played, band "
              "by band.",
          .usual_weight = 0.8,
          .build = build,
          .needs = is_read,
          .at_cursor = rest_at,
          .shown_at_first = false,
          .wants_time = kWantMultitone};
}

}  // namespace lalometer
