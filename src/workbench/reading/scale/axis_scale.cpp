#include "workbench/reading/scale/axis_scale.h"

#include <fmt/format.h>

namespace lalometer {
namespace {

/// In steps that divide a right angle, so that a quarter of a turn always has its line.
std::vector<Tick> angle_ticks(double low, double high, double length_px, double spacing_px) {
  std::vector<Tick> ticks;
  if (!(high > low) || length_px <= 0.0) return ticks;
  const double least = (high - low) * spacing_px / length_px;
  if (least <= 1.0) return even_ticks(low, high, length_px, spacing_px);
  double step = 360.0;
  for (const double one : {2.0, 5.0, 10.0, 15.0, 30.0, 45.0, 90.0, 180.0}) {
    if (one < least) continue;
    step = one;
    break;
  }
  for (double k = std::ceil(low / step - 1e-9); k * step <= high + 1e-9 * step; k += 1.0) {
    const double value = k == 0.0 ? 0.0 : k * step;
    ticks.push_back({value, fmt::format("{:g}", value), std::fmod(value, 90.0) == 0.0});
  }
  return ticks;
}

}  // namespace

std::vector<Tick> axis_ticks(const LaneAxis& axis, double low, double high, double length_px,
                             double spacing_px) {
  if (axis.scale == AxisScale::kLogarithmic) return frequency_ticks(low, high, length_px);
  if (axis.quantity == AxisQuantity::kAngle) return angle_ticks(low, high, length_px, spacing_px);
  std::vector<Tick> ticks = even_ticks(low, high, length_px, spacing_px);
  if (axis.scale != AxisScale::kDecibel) return ticks;
  for (Tick& tick : ticks) {
    const double tens = tick.value / 10.0;
    tick.strong = std::abs(tens - std::round(tens)) < 1e-9;
  }
  // Where every line is a ten, only zero stands out.
  if (std::all_of(ticks.begin(), ticks.end(), [](const Tick& t) { return t.strong; })) {
    for (Tick& tick : ticks) tick.strong = tick.value == 0.0;
  }
  return ticks;
}

LaneRange zoomed(LaneRange range, AxisScale scale, double at, double factor) {
  if (scale == AxisScale::kLogarithmic)
    return {at * std::pow(range.low / at, factor), at * std::pow(range.high / at, factor)};
  return {at + (range.low - at) * factor, at + (range.high - at) * factor};
}

LaneRange shifted(LaneRange range, AxisScale scale, double share) {
  if (scale == AxisScale::kLogarithmic) {
    const double by = std::pow(range.high / range.low, share);
    return {range.low * by, range.high * by};
  }
  const double by = (range.high - range.low) * share;
  return {range.low + by, range.high + by};
}

}  // namespace lalometer
