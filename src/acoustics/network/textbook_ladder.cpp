#include "acoustics/network/textbook_ladder.h"

#include <array>
#include <cmath>

#include "base/constants.h"

namespace lalometer {
namespace {

/// From the source to the load, for 1 ohm and 1 rad/s; odd ones stand in the line.
std::vector<double> prototype(int order) {
  switch (order) {
    case 1:
      return {1.0};
    case 2:
      return {std::sqrt(2.0), 1.0 / std::sqrt(2.0)};
    case 3:
      return {1.5, 4.0 / 3.0, 0.5};
    default:
      return {1.530734, 1.577161, 1.082392, 0.382683};
  }
}

}  // namespace

Ladder butterworth_ladder(LadderPass pass, int order, double corner_hz, double load_ohm) {
  const double w = 2.0 * kPi * corner_hz;
  Ladder ladder;
  bool series = true;
  for (const double g : prototype(order)) {
    LadderPart part{.place = series ? LadderPart::Place::kSeries : LadderPart::Place::kShunt};
    // In the line a low-pass has a coil and a high-pass a capacitor; across it the other way.
    if (series == (pass == LadderPass::kLow)) {
      part.inductance_h = (pass == LadderPass::kLow ? g : 1.0 / g) * load_ohm / w;
    } else {
      part.capacitance_f = (pass == LadderPass::kLow ? g : 1.0 / g) / (load_ohm * w);
    }
    ladder.push_back(part);
    series = !series;
  }
  return ladder;
}

Ladder attenuator_pad(double ratio, double load_ohm) {
  if (ratio >= 0.999) return {};
  return {{.place = LadderPart::Place::kSeries, .resistance_ohm = load_ohm * (1.0 - ratio)},
          {.place = LadderPart::Place::kShunt, .resistance_ohm = load_ohm * ratio / (1.0 - ratio)}};
}

LadderPart impedance_compensation(double re_ohm, double le_h) {
  return {.place = LadderPart::Place::kShunt,
          .resistance_ohm = re_ohm,
          .capacitance_f = le_h / (re_ohm * re_ohm)};
}

LadderPart trap(double frequency_hz, double q, double resistance_ohm) {
  const double w = 2.0 * kPi * frequency_hz;
  return {.place = LadderPart::Place::kShunt,
          .resistance_ohm = resistance_ohm,
          .inductance_h = q * resistance_ohm / w,
          .capacitance_f = 1.0 / (q * resistance_ohm * w)};
}

}  // namespace lalometer
