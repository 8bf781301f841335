#include "acoustics/signal/windows.h"

#include <cmath>

#include "acoustics/spectrum/unit_turn.h"
#include "base/constants.h"

namespace lalometer {
namespace {

template <class Shape>
std::vector<double> symmetric(std::size_t n, Shape shape) {
  std::vector<double> w(n, 1.0);
  if (n < 2) return w;
  for (std::size_t i = 0; i < n; ++i)
    w[i] = shape(static_cast<double>(i) / static_cast<double>(n - 1));
  return w;
}

}  // namespace

std::vector<double> hann(std::size_t n) {
  return symmetric(n, [](double t) { return 0.5 - 0.5 * std::cos(2.0 * kPi * t); });
}

std::vector<double> blackman_harris(std::size_t n) {
  return symmetric(n, [](double t) {
    const double x = 2.0 * kPi * t;
    return 0.35875 - 0.48829 * std::cos(x) + 0.14128 * std::cos(2.0 * x) -
           0.01168 * std::cos(3.0 * x);
  });
}

std::vector<double> tukey(std::size_t n, double alpha) {
  if (alpha <= 0.0) return std::vector<double>(n, 1.0);
  return symmetric(n, [alpha](double t) {
    const double edge = std::min(t, 1.0 - t);
    return edge >= alpha / 2.0 ? 1.0 : falling_half_hann(1.0 - 2.0 * edge / alpha);
  });
}

double falling_half_hann(double t) {
  if (t <= 0.0) return 1.0;
  if (t >= 1.0) return 0.0;
  return 0.5 + 0.5 * unit_turn(kPi * t).real();
}

}  // namespace lalometer
