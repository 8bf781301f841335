#include "acoustics/spectrum/figures.h"

#include <algorithm>
#include <cmath>

namespace lalometer {
namespace {

bool covers(const Response& curve, double low_hz, double high_hz) {
  const ValidRange have = intersect(curve.valid(), {curve.axis().front(), curve.axis().back()});
  return curve.size() >= 2 && have.contains(low_hz) && have.contains(high_hz);
}

}  // namespace

std::optional<double> mean_level_db(const Response& curve, double low_hz, double high_hz) {
  if (!(low_hz < high_hz) || !covers(curve, low_hz, high_hz)) return std::nullopt;
  const double reference = level_reference(curve.quantity());
  double x = std::log(low_hz);
  double level = to_level_db(std::abs(value_at(curve, low_hz)), reference);
  double sum = 0.0;
  const auto step_to = [&](double f, double next_level) {
    const double next_x = std::log(f);
    sum += 0.5 * (level + next_level) * (next_x - x);
    x = next_x;
    level = next_level;
  };
  for (std::size_t i = 0; i < curve.size(); ++i) {
    if (curve.axis()[i] > low_hz && curve.axis()[i] < high_hz)
      step_to(curve.axis()[i], curve.level_db(i));
  }
  step_to(high_hz, to_level_db(std::abs(value_at(curve, high_hz)), reference));
  return sum / std::log(high_hz / low_hz);
}

std::optional<double> sensitivity_db(const Response& curve) {
  return mean_level_db(curve, 300.0, 3000.0);
}

std::optional<double> slope_db_per_octave(const Response& curve, double low_hz, double high_hz) {
  if (!(high_hz >= 2.0 * low_hz) || !curve.valid().contains(low_hz) ||
      !curve.valid().contains(high_hz) || curve.axis().front() > low_hz * 1.03 ||
      curve.axis().back() < high_hz / 1.03)
    return std::nullopt;
  // Weighted by the axis' own steps, so that the density of points does not count.
  double w = 0.0, sx = 0.0, sy = 0.0, sxx = 0.0, sxy = 0.0;
  for (std::size_t i = 1; i + 1 < curve.size(); ++i) {
    const double f = curve.axis()[i];
    if (f < low_hz || f > high_hz) continue;
    const double step = std::log2(curve.axis()[i + 1] / curve.axis()[i - 1]);
    const double x = std::log2(f);
    const double y = curve.level_db(i);
    w += step, sx += step * x, sy += step * y, sxx += step * x * x, sxy += step * x * y;
  }
  const double spread = w * sxx - sx * sx;
  return spread > 0.0 ? std::optional((w * sxy - sx * sy) / spread) : std::nullopt;
}

std::optional<LevelSpread> level_spread(const Response& curve, double low_hz, double high_hz) {
  const auto mean = mean_level_db(curve, low_hz, high_hz);
  if (!mean) return std::nullopt;
  LevelSpread spread{0.0, 0.0};
  for (std::size_t i = 0; i < curve.size(); ++i) {
    if (curve.axis()[i] < low_hz || curve.axis()[i] > high_hz) continue;
    spread.above_db = std::max(spread.above_db, curve.level_db(i) - *mean);
    spread.below_db = std::max(spread.below_db, *mean - curve.level_db(i));
  }
  return spread;
}

}  // namespace lalometer
