#include "workbench/design/tuning_help.h"

#include <fmt/format.h>

#include <cmath>

#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

std::string mm(double metres) {
  return fmt::format("{:.1f} mm", 1e3 * metres);
}

/// Ratio of the squares of wanted and measured tuning, and its 95 % half-width.
Estimate square_ratio(const TuningTask& t) {
  const double ratio = std::pow(t.wanted_hz / t.measured_hz.value, 2);
  return {ratio, 2.0 * ratio * t.measured_hz.half_width / t.measured_hz.value};
}

std::vector<TuningStep> port_steps(const TuningTask& t) {
  const Estimate ratio = square_ratio(t);
  const PortGeometry& port = t.ports.front();
  std::vector<TuningStep> steps;
  // f^2 ~ S / L': the acoustic length must become L' / ratio. Which L' acts is told by the
  // measurement where the volume is known, else by the drawing.
  double acoustic = acoustic_length_m(port);
  if (t.volume_m3) {
    const double by_measurement =
        port.area_m2() * std::pow(kSpeedOfSound20_m_s / (2.0 * kPi * t.measured_hz.value), 2) /
        *t.volume_m3;
    // A drawing and a measurement that far apart do not speak of the same port.
    if (t.ports.size() == 1 && std::abs(by_measurement / acoustic - 1.0) < 0.3)
      acoustic = by_measurement;
  }
  const double change = acoustic / ratio.value - acoustic;
  const double spread = acoustic * ratio.half_width / (ratio.value * ratio.value);
  const double left = port.length_m + change;
  const std::string each = port.count > 1 || t.ports.size() > 1 ? " each port" : " the port";
  if (change < 0.0 && left > 0.0) {
    steps.push_back({fmt::format("Cut {} off{} ({} remain).", mm(-change), each, mm(left)), change,
                     spread,
                     "What is cut off cannot be put back: cut two thirds of it first, take the "
                     "impedance again, then the rest."});
  } else if (change > 0.0) {
    steps.push_back({fmt::format("Make{} {} longer ({} in all).", each, mm(change), mm(left)),
                     change, spread, ""});
  }
  const bool lower = ratio.value < 1.0;
  if (lower && port.slot_height_m > 0.0) {
    const double cover = port.diameter_m * (1.0 - ratio.value);
    steps.push_back(
        {fmt::format("Or cover {} of each slot's width of {}.", mm(cover), mm(port.diameter_m)),
         -cover, port.diameter_m * ratio.half_width,
         "A smaller opening lets the air go faster: listen for wind noise."});
  }
  return steps;
}

std::vector<TuningStep> radiator_steps(const TuningTask& t) {
  // (2 pi fB)^2 = k / M, k the air's and the suspension's stiffness together: neither changes with
  // the mass, so the mass must become M / ratio.
  const Estimate ratio = square_ratio(t);
  const double mass = *t.radiator_mass_kg;
  const double add = mass / ratio.value - mass;
  const double spread = mass * ratio.half_width / (ratio.value * ratio.value);
  if (add >= 0.0) {
    return {{fmt::format("Add {:.1f} ± {:.1f} g to the radiator ({:.1f} g in all).", 1e3 * add,
                         1e3 * spread, 1e3 * (mass + add)),
             add, spread,
             "Fix it at the centre, and evenly: a radiator that tilts rubs or rocks."}};
  }
  return {{fmt::format("Take {:.1f} ± {:.1f} g off the radiator ({:.1f} g remain).", -1e3 * add,
                       1e3 * spread, 1e3 * (mass + add)),
           add, spread, "Only what was added can be removed; the cone itself stays."}};
}

}  // namespace

Result<std::vector<TuningStep>> tuning_steps(const TuningTask& t) {
  if (!(t.wanted_hz > 0.0) || !(t.measured_hz.value > 0.0))
    return bad_input("A tuning is a frequency above 0 Hz.");
  const double ratio = t.wanted_hz / t.measured_hz.value;
  if (ratio > 2.0 || ratio < 0.5) {
    return bad_input(fmt::format(
        "From {} to {} is more than an octave: this box wants another port or another volume, not "
        "a trimmed one.",
        frequency_text(t.measured_hz.value), frequency_text(t.wanted_hz)));
  }
  if (std::abs(t.wanted_hz - t.measured_hz.value) <= t.measured_hz.half_width)
    return std::vector<TuningStep>{};
  if (t.radiator_mass_kg) return radiator_steps(t);
  if (t.ports.empty())
    return bad_input("Neither a port nor a passive radiator is in the drawing of this box.");
  auto steps = port_steps(t);
  if (steps.empty()) {
    return bad_input(fmt::format(
        "No length of this port tunes the box to {}: even without a tube it is lower. A larger "
        "opening or a smaller box would.",
        frequency_text(t.wanted_hz)));
  }
  return steps;
}

}  // namespace lalometer
