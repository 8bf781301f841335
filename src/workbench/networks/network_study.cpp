#include "workbench/networks/network_study.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "acoustics/network/whatif/network_orbit.h"
#include "acoustics/spin/spinorama.h"
#include "base/constants.h"
#include "base/text.h"

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

}  // namespace

Result<NetworkMaterial> study_network(const NetworkStudyInputs& in, const CurveSource& curves,
                                      std::stop_token stop, const Progress& progress) {
  const auto geometry = geometry_of(in.description, in.name);
  if (!geometry) return tl::unexpected(geometry.error());
  std::map<Id, int> counts;
  Id main = 0;
  for (const Take& t : in.takes)
    if (!t.conditions.driver.empty() && t.accepted && ++counts[t.variant_id] > counts[main])
      main = t.variant_id;
  std::vector<TakenCurve> read;
  read.reserve(in.takes.size());
  std::vector<NetworkTake> takes;
  std::size_t done = 0;
  for (const Take& t : in.takes) {
    if (stop.stop_requested()) return cancelled();
    if (progress) progress(static_cast<double>(done++) / static_cast<double>(in.takes.size()));
    const bool wanted = t.kind() == TakeKind::kResponse || t.kind() == TakeKind::kImpedance;
    if (t.variant_id != main || !wanted || !t.accepted || !has_curve(t)) continue;
    auto curve = curves(t);
    if (!curve) return tl::unexpected(curve.error());
    read.push_back(*std::move(curve));
    takes.push_back({&t, &read.back().curve});
  }
  auto material = network_material(takes, *geometry, in.name);
  if (material) bring_to_one_axis(*material);
  return material;
}

DesignedNetwork bare_network(const NetworkMaterial& m) {
  DesignedNetwork n;
  for (const NetworkDriver& d : m.drivers) n.branches.push_back({.driver = d.id});
  return n;
}

std::vector<std::pair<std::string, LaneContent>> network_lanes(const NetworkSum& s,
                                                               const ToleranceBand* band) {
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
  if (band != nullptr) level.add_curves().back().spread = band->half_width_db;
  for (std::size_t b = 0; b < s.branches.size(); ++b)
    add(level, s, s.branches[b].driver, static_cast<int>(b) + 1, false,
        [&](std::size_t i) { return level_db(s.branches[b].pressure[i]); });
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
  if (!s.load_ohm.empty()) {
    LaneContent load = lane("Load", "what the amplifier sees, ohm", "ohm", 0.0,
                            10.0 * std::ceil(std::min(highest_ohm, 60.0) / 10.0));
    add(load, s, "load", 0, true, [&](std::size_t i) { return std::abs(s.load_ohm[i]); });
    lanes.emplace_back("network-load", std::move(load));
  }
  lanes.emplace_back("network-phase", phase_lane(s));
  return lanes;
}

}  // namespace lalometer
