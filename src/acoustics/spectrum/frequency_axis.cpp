#include "acoustics/spectrum/frequency_axis.h"

#include <algorithm>
#include <cmath>

#include "base/text.h"

namespace lalometer {

Result<FrequencyAxis> FrequencyAxis::make(std::vector<double> frequency_hz) {
  if (frequency_hz.empty()) return bad_input("A curve needs at least one frequency.");
  double previous = 0.0;
  for (const double f : frequency_hz) {
    if (!std::isfinite(f) || f <= previous) {
      return bad_input(
          fmt::format("Frequencies must be finite, above 0 and rising, but {} Hz follows {} Hz.",
                      shortest(f), shortest(previous)));
    }
    previous = f;
  }
  return FrequencyAxis(std::move(frequency_hz));
}

FrequencyAxis FrequencyAxis::logarithmic(double low_hz, double high_hz, double points_per_octave) {
  const double octaves = std::log2(high_hz / low_hz);
  // The small allowance keeps an end that falls on a point from being lost to rounding.
  const auto count = static_cast<std::size_t>(std::floor(octaves * points_per_octave + 1e-9)) + 1;
  std::vector<double> f(count);
  for (std::size_t i = 0; i < count; ++i) {
    f[i] = low_hz * std::exp2(static_cast<double>(i) / points_per_octave);
  }
  return FrequencyAxis(std::move(f));
}

std::size_t FrequencyAxis::bracket(double frequency_hz) const {
  if (hz_.size() < 2) return 0;
  const auto above = std::upper_bound(hz_.begin(), hz_.end(), frequency_hz);
  const auto i = static_cast<std::size_t>(above - hz_.begin());
  return std::clamp<std::size_t>(i, 1, hz_.size() - 1) - 1;
}

double value_between(const FrequencyAxis& axis, std::span<const double> values,
                     double frequency_hz) {
  if (axis.size() < 2 || frequency_hz <= axis.front()) return values.front();
  if (frequency_hz >= axis.back()) return values.back();
  const std::size_t i = axis.bracket(frequency_hz);
  const double t = std::log(frequency_hz / axis[i]) / std::log(axis[i + 1] / axis[i]);
  return values[i] + t * (values[i + 1] - values[i]);
}

ValidRange intersect(const ValidRange& a, const ValidRange& b) {
  return {std::max(a.low_hz, b.low_hz), std::min(a.high_hz, b.high_hz)};
}

}  // namespace lalometer
