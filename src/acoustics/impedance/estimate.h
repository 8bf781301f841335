#pragma once

#include <cmath>
#include <vector>

namespace lalometer {

/// A figure with the half-width of its 95 % interval.
struct Estimate {
  double value = 0.0;
  double half_width = 0.0;
};

/// Of a figure that is known by its logarithm: value * relative half-width.
[[nodiscard]] inline Estimate from_relative(double value, double relative_half_width) {
  return {value, std::abs(value) * relative_half_width};
}

/// Whether the data hold a figure at all: its interval is less than half of it to each side.
[[nodiscard]] inline bool holds(const Estimate& e) {
  return e.half_width < 0.5 * std::abs(e.value);
}

/// Whether two figures differ by more than their uncertainties explain, at the 95 % level.
[[nodiscard]] inline bool differ(const Estimate& a, const Estimate& b) {
  return std::abs(a.value - b.value) > std::hypot(a.half_width, b.half_width);
}

/// Mean of repeats of one thing, each with its own uncertainty: the interval by Student's
/// distribution of their scatter where that says more than the single ones do. Precondition: not
/// empty.
[[nodiscard]] Estimate mean_of_repeats(const std::vector<Estimate>& repeats);

}  // namespace lalometer
