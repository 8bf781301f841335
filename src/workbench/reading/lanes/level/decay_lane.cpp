#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/text.h"
#include "workbench/level/level_nodes.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"

/// How responses die away: as maps over frequency and time, and over time alone.
namespace lalometer {
namespace {

bool has_impulse_of(const LaidTake& one) {
  return has_impulse(one.take);
}

LaneContent build_map(const std::vector<LaidTake>& laid, Id chosen, DecayMap::Kind kind,
                      const char* title) {
  LaneContent content;
  content.title = title;
  content.left = {.quantity = AxisQuantity::kTime, .unit = "ms", .low = 0.0, .high = 20.0};
  const LaidTake* shown = nullptr;
  for (const LaidTake& one : laid)
    if (one.time && one.time->decay(kind) != nullptr && (shown == nullptr || one.take.id == chosen))
      shown = &one;
  if (shown == nullptr) {
    content.empty_text = "No impulse response on the score. It comes with every recorded response.";
    for (const LaidTake& one : laid)
      if (has_impulse_of(one))
        content.empty_text =
            one.time && !one.time->problem.empty() ? one.time->problem : "Being analysed…";
    return content;
  }
  const DecayReading& r = *shown->time->decay(kind);
  const DecayMap& m = r.map;
  ValueMap map;
  map.x = {m.axis.hz().begin(), m.axis.hz().end()};
  const double unit = m.in_periods() ? 1.0 : 1e3;
  double top = -1e9;
  for (const double v : m.level_db.front()) top = std::max(top, v);
  map.high = std::ceil(top / 3.0) * 3.0;
  map.low = map.high - 45.0;
  // Up to where nothing is left that the colours show, but no less than a third of it.
  std::size_t rows = m.time.size();
  const auto loudest = [&](std::size_t k) {
    double most = -1e9;
    for (std::size_t i = 0; i < map.x.size(); ++i)
      if (map.x[i] >= m.resolved_from_hz[k]) most = std::max(most, m.level_db[k][i]);
    return most;
  };
  while (rows > m.time.size() / 3 && rows > 8 && loudest(rows - 1) < map.low) --rows;
  for (std::size_t k = 0; k < rows; ++k) {
    map.rows.push_back(m.time[k] * unit);
    for (std::size_t i = 0; i < map.x.size(); ++i)
      map.values.push_back(map.x[i] < m.resolved_from_hz[k]
                               ? std::numeric_limits<float>::quiet_NaN()
                               : static_cast<float>(m.level_db[k][i]));
  }
  content.left.high = map.rows.back();
  if (m.in_periods()) content.left.unit = "periods";
  content.subtitle = series_label(*shown, laid);
  content.subtitle +=
      m.in_periods() || m.kind == DecayMap::Kind::kBass
          ? fmt::format(", bursts of {} periods", shortest(m.burst_periods))
          : fmt::format(", rise {} ms, {} slices", shortest(m.rise_s * 1e3), m.time.size());
  content.subtitle += r.calibrated ? ", dB re 20 µPa" : ", dB, relative";
  content.layers.emplace_back(std::move(map));
  content.layers.emplace_back(ContourLayer{6.0});
  content.subtitle += fmt::format("; {} ms long", three_digits(m.length_s * 1e3));
  std::vector<LaneMark> flags;
  for (const Ridge& ridge : r.ridges) {
    const double f = ridge.frequency_hz.value;
    flags.push_back({m.in_periods() ? fmt::format("{:.0f} periods", ridge.decay_periods())
                                    : fmt::format("{} ms", three_digits(ridge.decay_s.value * 1e3)),
                     spoken(ridge), 0, f, f});
  }
  content.layers.emplace_back(FlagLayer{std::move(flags)});
  return content;
}

template <DecayMap::Kind kKind>
bool has_decay(const LaidTake& one) {
  return one.time && one.time->decay(kKind) != nullptr;
}

/// The nearest ridge within a third of an octave of the cursor, and the level after some time.
std::string decay_at(const LaidTake& one, double f, DecayMap::Kind kind) {
  if (!one.time || one.time->decay(kind) == nullptr) return "–";
  const DecayReading& r = *one.time->decay(kind);
  const DecayMap& m = r.map;
  if (f < m.axis.front() || f > m.axis.back()) return "–";
  const std::size_t i = m.axis.bracket(f);
  const std::size_t later = m.time.size() / 3;
  std::string text =
      fmt::format("{:.0f} dB after {}", m.level_db[later][i] - m.level_db[0][i],
                  m.in_periods() ? fmt::format("{:.0f} periods", m.time[later])
                                 : fmt::format("{} ms", three_digits(m.time[later] * 1e3)));
  for (const Ridge& ridge : r.ridges)
    if (std::abs(std::log2(ridge.frequency_hz.value / f)) < 1.0 / 12.0)
      text += fmt::format("; rings {} ms", three_digits(ridge.decay_s.value * 1e3));
  return text;
}

LaneContent build_energy(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Energy over time";
  content.across = {.quantity = AxisQuantity::kTime, .unit = "ms", .low = -0.6, .high = 20.0};
  content.left = {.quantity = AxisQuantity::kLevel,
                  .scale = AxisScale::kDecibel,
                  .unit = "dB",
                  .low = -60.0,
                  .high = 3.0};
  content.empty_text = "No impulse response on the score. It comes with every recorded response.";
  for (const LaidTake& one : laid) {
    if (!one.analysis || !one.analysis->impulse) continue;
    const EnergyTime e = energy_time(*one.analysis->impulse, {one.analysis->gate_start_s, 0.03});
    if (e.level_db.empty()) continue;
    const double top = *std::max_element(e.level_db.begin(), e.level_db.end());
    Series s{.take_id = one.take.id,
             .label = series_label(one, laid),
             .style = one.take.colour,
             .chosen = one.take.id == chosen,
             .x = {},
             .y = {},
             .valid_low = -1e300};
    for (std::size_t i = 0; i < e.level_db.size(); ++i) {
      if (e.time_s[i] > 0.0205) break;
      s.x.push_back(e.time_s[i] * 1e3);
      s.y.push_back(e.level_db[i] - top);
    }
    content.add_curves().push_back(std::move(s));
  }
  if (!content.curves().empty())
    content.subtitle = "dB re its peak, ms after the gate's start: what comes late, and how loud";
  return content;
}

LaneKind map_kind(const char* id, const char* title, const char* explained,
                  LaneContent (*build)(const std::vector<LaidTake>&, Id),
                  bool (*needs)(const LaidTake&),
                  std::string (*at_cursor)(const LaidTake&, double, std::complex<double>),
                  unsigned wants) {
  return {.id = id,
          .title = title,
          .explained = explained,
          .usual_weight = 0.9,
          .build = build,
          .needs = needs,
          .at_cursor = at_cursor,
          .shown_at_first = false,
          .wants_time = wants};
}

}  // namespace

LaneKind lanes::decay() {
  return map_kind(
      "decay", "Decay",
      "The spectrum of what is left as time goes on: ridges ring on where a part resonates.",
      [](const std::vector<LaidTake>& laid, Id chosen) {
        return build_map(laid, chosen, DecayMap::Kind::kCumulative, "Decay");
      },
      has_decay<DecayMap::Kind::kCumulative>,
      [](const LaidTake& one, double f, std::complex<double>) {
        return decay_at(one, f, DecayMap::Kind::kCumulative);
      },
      kWantCumulative);
}

LaneKind lanes::burst_decay() {
  return map_kind(
      "burst-decay", "Decay in periods",
      "What a short burst of each tone leaves, counted in periods of that tone: bass and treble by "
      "the same measure.",
      [](const std::vector<LaidTake>& laid, Id chosen) {
        return build_map(laid, chosen, DecayMap::Kind::kBurst, "Decay in periods");
      },
      has_decay<DecayMap::Kind::kBurst>,
      [](const LaidTake& one, double f, std::complex<double>) {
        return decay_at(one, f, DecayMap::Kind::kBurst);
      },
      kWantBurst);
}

LaneKind lanes::bass_decay() {
  return map_kind(
      "bass-decay", "Decay of the bass",
      "The same over milliseconds, up to 400 Hz, ungated: what box, port and room hold on to.",
      [](const std::vector<LaidTake>& laid, Id chosen) {
        return build_map(laid, chosen, DecayMap::Kind::kBass, "Decay of the bass");
      },
      has_decay<DecayMap::Kind::kBass>,
      [](const LaidTake& one, double f, std::complex<double>) {
        return decay_at(one, f, DecayMap::Kind::kBass);
      },
      kWantBass);
}

LaneKind lanes::energy() {
  return {.id = "energy",
          .title = "Energy over time",
          .explained =
              "The impulse response's energy in dB: reflections and late sound stand out that "
              "the impulse itself hides.",
          .usual_weight = 0.5,
          .build = build_energy,
          .needs = has_impulse_of,
          .shown_at_first = false};
}

}  // namespace lalometer
