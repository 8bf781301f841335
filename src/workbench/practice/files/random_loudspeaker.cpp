#include "workbench/practice/files/random_loudspeaker.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/constants.h"
#include "base/json_text.h"

namespace lalometer {

using Json = nlohmann::json;

std::size_t Lot::below(std::size_t n) {
  return std::min(n - 1, static_cast<std::size_t>(between(0.0, static_cast<double>(n))));
}

std::string random_two_way(Lot& lot) {
  const double w = lot.between(170, 280);
  const double h = w * lot.between(1.5, 2.2);
  const double d = std::max(w * lot.between(1.0, 1.5), 230.0);
  const double dia = std::min(w - 40.0, lot.chance(0.5) ? 165.0 : 130.0);
  const double iw = w - 32, ih = h - 32, id = d - 52;
  const double litres = iw * ih * id / 1e6 * 0.92;
  // A woofer of 85.5 to 88.5 dB at 1 W, somewhat below its dome, in a box of the size it wants:
  // efficiency is 4 π² fs³ Vas / (c³ Qes) (Small 1972), 112.1 dB at 1 m for all of it.
  const double qms = lot.between(3, 6), qes = lot.between(0.36, 0.48);
  const double vas = litres * lot.between(1.2, 2.0);
  const double efficiency = std::pow(10.0, (lot.between(85.5, 88.5) - 112.1) / 10.0);
  const double fs = std::cbrt(efficiency * std::pow(kSpeedOfSound20_m_s, 3) * qes /
                              (4.0 * kPi * kPi * vas / 1e3));
  // Aligned as usual: what the driver wants, by a port of a length that fits.
  const double fb = fs * lot.between(0.92, 1.12);
  const double whole_m = lot.between(0.11, 0.18);
  const double area = std::pow(2.0 * kPi * fb / kSpeedOfSound20_m_s, 2) * litres / 1e3 * whole_m;
  const double port_m = std::clamp(2.0 * std::sqrt(area / kPi), 0.025, 0.07);
  const double real_m = kPi * port_m * port_m / 4.0 /
                        (std::pow(2.0 * kPi * fb / kSpeedOfSound20_m_s, 2) * litres / 1e3);
  const double port_mm = std::max(1e3 * (real_m - 0.731 * port_m), 20.0);
  Json s{{"kind", "loudspeaker"}, {"loading", "vented"}};
  const double low = -h * lot.between(0.12, 0.2);
  const double beside = lot.between(-25, 25), high = h * lot.between(0.12, 0.2);
  s["drivers"] = {{{"id", "woofer"},
                   {"role", "woofer"},
                   {"diameter_mm", dia},
                   {"fs_hz", fs},
                   {"qms", qms},
                   {"qes", qes},
                   {"vas_l", vas},
                   {"x_mm", 0},
                   {"y_mm", low}},
                  {{"id", "tweeter"},
                   {"role", "tweeter"},
                   {"diameter_mm", 28},
                   {"x_mm", beside},
                   {"y_mm", high}}};
  s["baffle"] = {{"width_mm", w},    {"height_mm", h},
                 {"depth_mm", d},    {"edge_radius_mm", lot.between(5, 20)},
                 {"left_mm", w / 2}, {"top_mm", h / 2}};
  s["box"] = {{"net_volume_l", litres}, {"inner_width_mm", iw}, {"inner_height_mm", ih},
              {"inner_depth_mm", id},   {"damping", "lined"},   {"ql", lot.between(7, 18)}};
  s["ports"] = {{{"id", "port"},
                 {"panel", lot.chance(0.5) ? "back" : "front"},
                 {"diameter_mm", 1e3 * port_m},
                 {"length_mm", port_mm},
                 {"count", 1},
                 {"x_mm", 0},
                 {"y_mm", -h * 0.36}}};
  const double crossing = lot.between(1600, 2800);
  s["crossovers"] = {{{"low", "woofer"},
                      {"high", "tweeter"},
                      {"frequency_hz", crossing},
                      {"order", lot.chance(0.5) ? 2 : 4}}};
  return dumped(s);
}

std::string random_takes(Lot& lot, bool sweeps) {
  const char* kind = sweeps ? "sweep" : "response";
  Json all = {{{"kind", "impedance"}, {"id", "z"}},
              {{"kind", kind}, {"id", "axis"}, {"gate_ms", 5}},
              {{"kind", "near-field"}, {"id", "near-w"}, {"source", "woofer"}},
              {{"kind", "near-field"}, {"id", "near-p"}, {"source", "port"}}};
  const auto add = [&](const char* plane, double deg) {
    all.push_back({{"kind", kind},
                   {"id", fmt::format("{}{}", plane, deg)},
                   {"gate_ms", 5},
                   {std::string(plane) + "_deg", deg}});
  };
  for (const double a : {-60.0, -45.0, -30.0, -15.0, 15.0, 30.0, 45.0, 60.0}) add("horizontal", a);
  if (lot.chance(0.8))
    for (const double a : {-30.0, -15.0, 15.0, 30.0}) add("vertical", a);
  if (lot.chance(0.75))
    all.push_back(
        {{"kind", "impedance"}, {"id", "free"}, {"condition", "free-air"}, {"driver", "woofer"}});
  if (lot.chance(0.5))
    for (const char* one : {"woofer", "tweeter"})
      all.push_back({{"kind", "response"},
                     {"id", fmt::format("alone-{}", one)},
                     {"driver", one},
                     {"gate_ms", 5}});
  return dumped(all);
}

const std::vector<std::string>& random_faults() {
  static const std::vector<std::string> all = {"driver-breakup",
                                               "suspension-resonance",
                                               "cabinet-standing-wave",
                                               "port-pipe-resonance",
                                               "panel-resonance",
                                               "box-leak",
                                               "overdamped-port",
                                               "mistuned-box",
                                               "driver-polarity",
                                               "crossover-phase",
                                               "notch-filter",
                                               "noise",
                                               "mains-hum",
                                               "clipping",
                                               "microphone-too-close",
                                               "reflection"};
  return all;
}

bool fault_of_the_rig(const std::string& fault) {
  static constexpr std::array kRig = {"noise", "mains-hum", "clipping", "reflection"};
  return std::find(kRig.begin(), kRig.end(), fault) != kRig.end();
}

}  // namespace lalometer
