#include "acoustics/network/design/topology.h"

#include <algorithm>
#include <cmath>

#include "acoustics/network/textbook_ladder.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Place = LadderPart::Place;

enum class Kind { kCoil, kCapacitor, kResistor };

/// The kinds of elements in the order of a theta.
std::vector<Kind> kinds_of(const LowShape& s) {
  std::vector<Kind> kinds;
  if (s.trapped) kinds.insert(kinds.end(), {Kind::kCoil, Kind::kCapacitor, Kind::kResistor});
  for (int i = 0; i < s.order; ++i) {
    kinds.push_back(i % 2 == 0 ? Kind::kCoil : Kind::kCapacitor);
    if (i == 1 && s.damped) kinds.push_back(Kind::kResistor);
  }
  if (s.flattened) kinds.insert(kinds.end(), {Kind::kResistor, Kind::kCapacitor});
  return kinds;
}

std::vector<Kind> kinds_of(const HighShape& s) {
  std::vector<Kind> kinds;
  if (s.pad == PadShape::kFront) kinds.push_back(Kind::kResistor);
  for (int i = 0; i < s.order; ++i) kinds.push_back(i % 2 == 0 ? Kind::kCapacitor : Kind::kCoil);
  if (s.pad == PadShape::kSeries || s.pad == PadShape::kBoth) kinds.push_back(Kind::kResistor);
  if (s.pad == PadShape::kBoth) kinds.push_back(Kind::kResistor);
  if (s.trapped) kinds.insert(kinds.end(), {Kind::kCoil, Kind::kCapacitor, Kind::kResistor});
  return kinds;
}

ElementRange range_of(Kind kind) {
  switch (kind) {
    case Kind::kCoil:
      return {std::log(0.03e-3), std::log(47e-3)};
    case Kind::kCapacitor:
      return {std::log(0.47e-6), std::log(1000e-6)};
    case Kind::kResistor:
      break;
  }
  return {std::log(0.1), std::log(100.0)};
}

template <class Shape>
std::vector<ElementRange> ranges(const Shape& shape) {
  std::vector<ElementRange> all;
  for (const Kind kind : kinds_of(shape)) all.push_back(range_of(kind));
  return all;
}

/// Takes a theta's elements one by one.
class Reader {
 public:
  explicit Reader(const LadderTheta& theta) : theta_(theta) {}
  double next() { return std::exp(theta_[at_++]); }
  LadderPart coil(Place place) {
    const double henry = next();
    return {.place = place, .resistance_ohm = coil_resistance_ohm(henry), .inductance_h = henry};
  }
  LadderPart capacitor(Place place) { return {.place = place, .capacitance_f = next()}; }
  LadderPart resistor(Place place) { return {.place = place, .resistance_ohm = next()}; }

 private:
  const LadderTheta& theta_;
  std::size_t at_ = 0;
};

/// Several parts in a row across the line, each one to be bought by itself: a resistor that shared
/// an element with a capacitor would count as the capacitor's own.
LadderPart across_of(std::vector<LadderPart> parts) {
  return {.place = Place::kShunt, .parts = std::move(parts)};
}

void put(LadderTheta& theta, double value, Kind kind) {
  const ElementRange r = range_of(kind);
  theta.push_back(std::clamp(std::log(value), r.low + 1e-6, r.high - 1e-6));
}

void put_parts(LadderTheta& theta, const Ladder& ladder, bool damped, double load_ohm) {
  for (std::size_t i = 0; i < ladder.size(); ++i) {
    if (ladder[i].inductance_h > 0.0)
      put(theta, ladder[i].inductance_h, Kind::kCoil);
    else
      put(theta, ladder[i].capacitance_f, Kind::kCapacitor);
    if (i == 1 && damped) put(theta, 0.1 * load_ohm, Kind::kResistor);
  }
}

void put_trap(LadderTheta& theta, double hz, double ohm, double q) {
  // Across a voltage a trap of this Q has w L = Q R.
  const double w = 2.0 * kPi * hz;
  put(theta, q * ohm / w, Kind::kCoil);
  put(theta, 1.0 / (w * q * ohm), Kind::kCapacitor);
  put(theta, ohm, Kind::kResistor);
}

}  // namespace

int LowShape::parts() const {
  return order + (damped ? 1 : 0) + (flattened ? 2 : 0) + (trapped ? 3 : 0);
}

int HighShape::parts() const {
  const int pads = pad == PadShape::kNone ? 0 : pad == PadShape::kBoth ? 2 : 1;
  return order + pads + (trapped ? 3 : 0);
}

double coil_resistance_ohm(double henry) {
  return 0.35 * std::sqrt(1e3 * henry);
}

Ladder ladder_of(const LowShape& s, const LadderTheta& theta) {
  Reader read(theta);
  Ladder ladder;
  if (s.trapped) {
    LadderPart trap{.place = Place::kSeries, .join = LadderPart::Join::kParallel};
    trap.parts.push_back(read.coil(Place::kSeries));
    trap.parts.push_back(read.capacitor(Place::kSeries));
    trap.parts.push_back(read.resistor(Place::kSeries));
    ladder.push_back(std::move(trap));
  }
  for (int i = 0; i < s.order; ++i) {
    if (i % 2 == 0) {
      ladder.push_back(read.coil(Place::kSeries));
      continue;
    }
    LadderPart across = read.capacitor(Place::kShunt);
    ladder.push_back(i == 1 && s.damped
                         ? across_of({std::move(across), read.resistor(Place::kShunt)})
                         : std::move(across));
  }
  if (s.flattened) {
    LadderPart resistor = read.resistor(Place::kShunt);
    ladder.push_back(across_of({std::move(resistor), read.capacitor(Place::kShunt)}));
  }
  return ladder;
}

Ladder ladder_of(const HighShape& s, const LadderTheta& theta) {
  Reader read(theta);
  Ladder ladder;
  if (s.pad == PadShape::kFront) ladder.push_back(read.resistor(Place::kSeries));
  for (int i = 0; i < s.order; ++i)
    ladder.push_back(i % 2 == 0 ? read.capacitor(Place::kSeries) : read.coil(Place::kShunt));
  if (s.pad == PadShape::kSeries || s.pad == PadShape::kBoth)
    ladder.push_back(read.resistor(Place::kSeries));
  if (s.pad == PadShape::kBoth) ladder.push_back(read.resistor(Place::kShunt));
  if (s.trapped) {
    LadderPart coil = read.coil(Place::kShunt);
    LadderPart capacitor = read.capacitor(Place::kShunt);
    ladder.push_back(
        across_of({std::move(coil), std::move(capacitor), read.resistor(Place::kShunt)}));
  }
  return ladder;
}

LadderTheta first_values(const LowShape& s, double corner_hz, double load_ohm, double coil_h,
                         double trap_hz) {
  LadderTheta theta;
  if (s.trapped) {
    // Beside one another in the line: w L = R / Q.
    const double w = 2.0 * kPi * trap_hz;
    put(theta, load_ohm / (3.0 * w), Kind::kCoil);
    put(theta, 3.0 / (w * load_ohm), Kind::kCapacitor);
    put(theta, load_ohm, Kind::kResistor);
  }
  put_parts(theta, butterworth_ladder(LadderPass::kLow, s.order, corner_hz, load_ohm), s.damped,
            load_ohm);
  if (s.flattened) {
    put(theta, load_ohm, Kind::kResistor);
    put(theta, std::max(coil_h, 0.05e-3) / (load_ohm * load_ohm), Kind::kCapacitor);
  }
  return theta;
}

LadderTheta first_values(const HighShape& s, double corner_hz, double load_ohm, double ratio,
                         double trap_hz) {
  LadderTheta theta;
  const double rest = std::clamp(ratio, 0.1, 0.95);
  if (s.pad == PadShape::kFront) put(theta, load_ohm * (1.0 / rest - 1.0), Kind::kResistor);
  const double seen = s.pad == PadShape::kSeries ? load_ohm / rest : load_ohm;
  put_parts(theta, butterworth_ladder(LadderPass::kHigh, s.order, corner_hz, seen), false,
            load_ohm);
  if (s.pad == PadShape::kSeries) put(theta, load_ohm * (1.0 / rest - 1.0), Kind::kResistor);
  if (s.pad == PadShape::kBoth) {
    put(theta, load_ohm * (1.0 - rest), Kind::kResistor);
    put(theta, load_ohm * rest / (1.0 - rest), Kind::kResistor);
  }
  if (s.trapped) put_trap(theta, trap_hz, load_ohm, 1.0);
  return theta;
}

std::vector<ElementRange> ranges_of(const LowShape& shape) {
  return ranges(shape);
}

std::vector<ElementRange> ranges_of(const HighShape& shape) {
  return ranges(shape);
}

}  // namespace lalometer
