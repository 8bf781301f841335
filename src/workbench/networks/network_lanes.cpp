#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "acoustics/curves/phase_parts.h"
#include "acoustics/directivity/coverage.h"
#include "acoustics/network/whatif/network_orbit.h"
#include "acoustics/spin/spinorama.h"
#include "base/constants.h"
#include "base/text.h"
#include "workbench/networks/network_study.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

double level_db(Complex p) {
  return to_level_db(std::abs(p), kReferencePressure_pa);
}

LaneContent lane(const char* title, std::string subtitle, const char* unit, double low,
                 double high) {
  LaneContent content;
  content.title = title;
  content.subtitle = std::move(subtitle);
  const bool db = std::string_view(unit) == "dB";
  content.left = {.quantity = db ? AxisQuantity::kLevel : AxisQuantity::kOther,
                  .scale = db ? AxisScale::kDecibel : AxisScale::kLinear,
                  .unit = unit,
                  .low = low,
                  .high = high};
  content.empty_text = "Nothing to show for this network.";
  return content;
}

template <class Value>
void add(LaneContent& content, const NetworkSum& s, std::string label, int style, bool chosen,
         Value value) {
  Series line;
  line.label = std::move(label);
  line.style = style;
  line.chosen = chosen;
  line.x.assign(s.axis.hz().begin(), s.axis.hz().end());
  for (std::size_t i = 0; i < s.axis.size(); ++i) line.y.push_back(value(i));
  line.valid_low = s.valid.low_hz;
  line.valid_high = s.valid.high_hz;
  content.add_curves().push_back(std::move(line));
}

std::string spoken(const NetworkAngle& a) {
  return a.vertical_deg != 0.0 ? fmt::format("{:+.0f}° up", a.vertical_deg)
                               : fmt::format("{:+.0f}°", a.horizontal_deg);
}

LaneContent phase_lane(const NetworkSum& s) {
  LaneContent content =
      lane("Phase where they meet", "high over low, where both play", "°", -180.0, 180.0);
  int style = 0;
  for (const NetworkCrossing& x : network_crossings(s)) {
    const auto of = [&](const std::string& id) {
      return std::find_if(s.branches.begin(), s.branches.end(),
                          [&](const NetworkSum::Branch& b) { return b.driver == id; });
    };
    const auto low = of(x.low), high = of(x.high);
    add(content, s, x.high + " over " + x.low, style++, true, [&](std::size_t i) {
      const double apart = std::abs(level_db(low->pressure[i]) - level_db(high->pressure[i]));
      // Where one is far down its phase says nothing.
      return apart > 15.0 ? std::numeric_limits<double>::quiet_NaN()
                          : std::arg(high->pressure[i] / low->pressure[i]) * 180.0 / kPi;
    });
  }
  return content;
}

/// Full angle to 6 dB under the axis, of both planes as far as they were taken.
void add_beamwidth(std::vector<std::pair<std::string, LaneContent>>& lanes, const NetworkSum& s,
                   const Orbit& orbit) {
  constexpr double kFall_db = 6.0;
  LaneContent content = lane("Beamwidth", "full angle to 6 dB under the axis", "°", 0.0, 360.0);
  int style = 0;
  for (const Plane plane : {Plane::kHorizontal, Plane::kVertical}) {
    const auto map = angle_map(orbit, plane);
    const bool first = plane == Plane::kHorizontal;
    if (!map || map->degrees.size() < 4) continue;
    const std::vector<double> width = beamwidth_deg(*map, kFall_db);
    add(content, s, first ? "horizontal" : "vertical", style++, first,
        [&](std::size_t i) { return width[i]; });
  }
  if (style > 0) lanes.emplace_back("network-beamwidth", std::move(content));
}

/// Levels over the horizontal circle re the axis; nothing of fewer than six angles.
void add_map(std::vector<std::pair<std::string, LaneContent>>& lanes, const NetworkSum& s,
             const Orbit& orbit) {
  constexpr double kStep_deg = 5.0, kWidest_deg = 30.5;
  const auto& rays = orbit.rays(Plane::kHorizontal);
  const Orbit::Ray* ahead = orbit.on_axis();
  if (rays.size() < 6 || ahead == nullptr) return;
  ValueMap map;
  map.x.assign(s.axis.hz().begin(), s.axis.hz().end());
  map.high = 3.0;
  map.low = -30.0;
  for (double d = std::ceil(rays.front().degrees / kStep_deg) * kStep_deg;
       d <= rays.back().degrees + 0.01; d += kStep_deg) {
    const auto level = orbit.level_at(Plane::kHorizontal, d, kWidest_deg);
    map.rows.push_back(d);
    for (std::size_t i = 0; i < map.x.size(); ++i)
      map.values.push_back(level ? static_cast<float>((*level)[i] - ahead->level_db[i])
                                 : std::numeric_limits<float>::quiet_NaN());
  }
  LaneContent content;
  content.title = "Angles, horizontal";
  content.subtitle = "dB re the axis, by this network";
  content.left = {.quantity = AxisQuantity::kAngle,
                  .scale = AxisScale::kLinear,
                  .unit = "°",
                  .low = map.rows.front(),
                  .high = map.rows.back()};
  content.layers.emplace_back(std::move(map));
  content.layers.emplace_back(ContourLayer{3.0});
  lanes.emplace_back("network-map", std::move(content));
}

/// What a room would be given, as far as the angles carry it.
void add_spin(std::vector<std::pair<std::string, LaneContent>>& lanes, const NetworkSum& s,
              double top) {
  const auto orbit = orbit_of(s);
  if (!orbit) return;
  add_map(lanes, s, *orbit);
  add_beamwidth(lanes, s, *orbit);
  const Spinorama spin = spinorama(*orbit);
  LaneContent content =
      lane("In the room", "averages of CTA-2034-A by this network", "dB", top - 40.0, top);
  int style = 0;
  const auto put = [&](const char* label, const SpatialAverage& average, bool chosen) {
    if (average.size() == s.axis.size())
      add(content, s, label, style++, chosen, [&](std::size_t i) { return average[i]; });
  };
  put("listening window", spin.listening_window_db, true);
  put("early reflections", spin.early_reflections_db, false);
  put("sound power", spin.sound_power_db, false);
  put("predicted in-room", spin.predicted_in_room_db, false);
  if (style > 0) lanes.emplace_back("network-spin", std::move(content));
}

/// A line over rows of its own.
Series line_of(std::string label, int style, bool chosen, const std::vector<double>& x) {
  Series line;
  line.label = std::move(label);
  line.style = style;
  line.chosen = chosen;
  line.x = x;
  line.valid_low = x.empty() ? 0.0 : x.front();
  line.valid_high = x.empty() ? 0.0 : x.back();
  return line;
}

/// Of a sine of 2.83 V at the amplifier, up to where a cone's way is worth a look.
void add_excursion(std::vector<std::pair<std::string, LaneContent>>& lanes, const NetworkSum& s,
                   const NetworkStates& states, const std::vector<NetworkDriver>& drivers) {
  constexpr double kTop_hz = 3000.0;
  const double volts = 2.83 * std::sqrt(2.0);
  double widest = 0.0;
  LaneContent content =
      lane("Cones' way", "mm to one side, sine of 2.83 V, by the impedance", "mm", 0.0, 1.0);
  for (std::size_t b = 0; b < s.branches.size(); ++b) {
    const auto found = std::find_if(drivers.begin(), drivers.end(), [&](const NetworkDriver& d) {
      return d.id == s.branches[b].driver;
    });
    if (found == drivers.end() || !found->motor) continue;
    Series line = line_of(found->id, static_cast<int>(b) + 1, true, states.hz);
    for (std::size_t i = 0; i < states.hz.size(); ++i) {
      const double mm =
          1e3 * volts * std::abs(states.transfer[b][i]) * excursion_m_per_v(*found, states.hz[i]);
      line.y.push_back(states.hz[i] > kTop_hz ? std::numeric_limits<double>::quiet_NaN() : mm);
      if (states.hz[i] <= kTop_hz) widest = std::max(widest, mm);
    }
    content.add_curves().push_back(std::move(line));
  }
  if (widest <= 0.0) return;
  const double step = std::pow(10.0, std::floor(std::log10(widest)));
  content.left.high = step * std::ceil(widest / step);
  lanes.emplace_back("network-excursion", std::move(content));
}

/// Group delay of the sum on the axis, flight time out.
void add_delay(std::vector<std::pair<std::string, LaneContent>>& lanes, const NetworkSum& s) {
  const auto curve = Response::make(s.axis, s.sum, Quantity::kPressure, s.valid, true);
  if (!curve) return;
  const std::vector<double> delay = group_delay_s(*curve);
  double low = 0.0, high = 0.0;
  for (std::size_t i = 0; i < delay.size(); ++i)
    if (std::isfinite(delay[i]) && s.axis[i] > 100.0 && s.valid.contains(s.axis[i])) {
      low = std::min(low, 1e3 * delay[i]);
      high = std::max(high, 1e3 * delay[i]);
    }
  LaneContent content = lane("Group delay", "of the sum on the axis", "ms",
                             std::floor(std::max(low, -5.0)), std::ceil(std::min(high, 20.0)));
  add(content, s, "sum", 0, true, [&](std::size_t i) { return 1e3 * delay[i]; });
  lanes.emplace_back("network-delay", std::move(content));
}

/// What was measured of the built loudspeaker, beside what was foretold.
void add_measured(LaneContent& content, const Response& measured, double by_db) {
  Series line;
  line.label = "measured";
  line.style = 4;
  line.chosen = false;
  line.x.assign(measured.axis().hz().begin(), measured.axis().hz().end());
  for (std::size_t i = 0; i < measured.size(); ++i)
    line.y.push_back(measured.quantity() == Quantity::kImpedance
                         ? measured.magnitude(i)
                         : level_db(measured.value(i)) + by_db);
  line.valid_low = measured.valid().low_hz;
  line.valid_high = measured.valid().high_hz;
  content.add_curves().push_back(std::move(line));
}

}  // namespace

std::vector<std::pair<std::string, LaneContent>> network_lanes(const NetworkSum& s,
                                                               const NetworkExtras& extras) {
  double loudest = -400.0, highest_ohm = 8.0, highest_v = 0.0;
  for (std::size_t i = 0; i < s.axis.size(); ++i) {
    loudest = std::max(loudest, level_db(s.sum[i]));
    if (i < s.load_ohm.size()) highest_ohm = std::max(highest_ohm, std::abs(s.load_ohm[i]));
    for (const NetworkSum::Branch& b : s.branches)
      highest_v = std::max(highest_v, to_level_db(std::abs(b.transfer[i]), 1.0));
  }
  const double top = 5.0 * std::ceil((loudest + 2.0) / 5.0);
  std::vector<std::pair<std::string, LaneContent>> lanes;
  LaneContent level = lane("Level", "dB re 20 µPa, 2.83 V, on the axis", "dB", top - 40.0, top);
  add(level, s, "sum", 0, true, [&](std::size_t i) { return level_db(s.sum[i]); });
  if (extras.band != nullptr) level.add_curves().back().spread = extras.band->half_width_db;
  for (std::size_t b = 0; b < s.branches.size(); ++b)
    add(level, s, s.branches[b].driver, static_cast<int>(b) + 1, false,
        [&](std::size_t i) { return level_db(s.branches[b].pressure[i]); });
  if (extras.built != nullptr && extras.built->sound)
    add_measured(level, *extras.built->sound, -extras.built_off_db);
  lanes.emplace_back("network-level", std::move(level));
  if (!s.angles.empty()) {
    LaneContent off =
        lane("Off the axis", "sums at every angle that all drivers have", "dB", top - 40.0, top);
    int style = 1;
    add(off, s, "0°", 0, true, [&](std::size_t i) { return level_db(s.sum[i]); });
    for (const auto& [angle, sum] : s.angles)
      add(off, s, spoken(angle), style++, false,
          [&, &p = sum](std::size_t i) { return level_db(p[i]); });
    lanes.emplace_back("network-angles", std::move(off));
    add_spin(lanes, s, top);
  }
  const double top_v = std::max(0.0, 5.0 * std::ceil(highest_v / 5.0));
  LaneContent volts =
      lane("Voltage at the drivers", "dB re the amplifier's", "dB", top_v - 40.0, top_v);
  for (std::size_t b = 0; b < s.branches.size(); ++b)
    add(volts, s, s.branches[b].driver, static_cast<int>(b) + 1, false,
        [&](std::size_t i) { return to_level_db(std::abs(s.branches[b].transfer[i]), 1.0); });
  lanes.emplace_back("network-voltage", std::move(volts));
  NetworkStates states;
  if (extras.network != nullptr && extras.drivers != nullptr) {
    states = network_states(*extras.network, *extras.drivers);
    add_excursion(lanes, s, states, *extras.drivers);
  }
  if (!s.load_ohm.empty()) {
    LaneContent load = lane("Load", "what the amplifier sees, ohm", "ohm", 0.0,
                            10.0 * std::ceil(std::min(highest_ohm, 60.0) / 10.0));
    if (states.load_ohm.empty()) {
      add(load, s, "load", 0, true, [&](std::size_t i) { return std::abs(s.load_ohm[i]); });
    } else {
      Series line = line_of("load", 0, true, states.hz);
      for (const Complex z : states.load_ohm) line.y.push_back(std::abs(z));
      load.add_curves().push_back(std::move(line));
    }
    if (extras.built != nullptr && extras.built->load) add_measured(load, *extras.built->load, 0.0);
    lanes.emplace_back("network-load", std::move(load));
  }
  lanes.emplace_back("network-phase", phase_lane(s));
  add_delay(lanes, s);
  return lanes;
}

}  // namespace lalometer
