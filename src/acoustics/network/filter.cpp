#include "acoustics/network/filter.h"

#include <cmath>

#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

Complex value_of(const std::vector<double>& polynomial, Complex s) {
  Complex sum = 0.0;
  for (auto c = polynomial.rbegin(); c != polynomial.rend(); ++c) sum = sum * s + *c;
  return sum;
}

/// Denominator with unit constant term, -3 dB at s = j.
std::vector<double> butterworth(int order) {
  switch (order) {
    case 1:
      return {1.0, 1.0};
    case 2:
      return {1.0, std::sqrt(2.0), 1.0};
    case 3:
      return {1.0, 2.0, 2.0, 1.0};
    default: {
      // (s^2 + a s + 1)(s^2 + b s + 1), a and b = 2 sin(pi/8), 2 sin(3 pi/8).
      const double a = 2.0 * std::sin(kPi / 8.0);
      const double b = 2.0 * std::sin(3.0 * kPi / 8.0);
      return {1.0, a + b, 2.0 + a * b, a + b, 1.0};
    }
  }
}

std::vector<double> bessel(int order) {
  static const std::vector<double> reverse[] = {
      {1.0, 1.0}, {3.0, 3.0, 1.0}, {15.0, 15.0, 6.0, 1.0}, {105.0, 105.0, 45.0, 10.0, 1.0}};
  std::vector<double> p = reverse[order - 1];
  const double constant = p[0];
  for (double& c : p) c /= constant;
  // Scale s so that the magnitude at s = j is 1/sqrt 2: it falls without a turn.
  double low = 0.5;
  double high = 5.0;
  for (int i = 0; i < 80; ++i) {
    const double middle = 0.5 * (low + high);
    (std::abs(value_of(p, Complex(0.0, middle))) < std::sqrt(2.0) ? low : high) = middle;
  }
  double scale = 1.0;
  for (double& c : p) {
    c *= scale;
    scale *= low;
  }
  return p;
}

}  // namespace

ActiveFilter::ActiveFilter(const Values& v) : values_(v) {
  switch (v.shape) {
    case FilterShape::kButterworth:
      polynomial_ = butterworth(v.order);
      break;
    case FilterShape::kLinkwitzRiley:
      polynomial_ = butterworth(v.order / 2);
      power_ = 2;
      break;
    case FilterShape::kBessel:
      polynomial_ = bessel(v.order);
      break;
  }
}

Result<ActiveFilter> ActiveFilter::make(const Values& v) {
  if (v.order < 1 || v.order > 4)
    return bad_input(fmt::format("Filters are of order 1 to 4, not {}.", v.order));
  if (v.shape == FilterShape::kLinkwitzRiley && v.order % 2 != 0)
    return bad_input("A Linkwitz-Riley filter is of order 2 or 4: two equal halves in a row.");
  if (!(v.corner_hz > 0.0) || !std::isfinite(v.corner_hz))
    return bad_input(
        fmt::format("A filter's corner must be above 0 Hz, not {}.", shortest(v.corner_hz)));
  return ActiveFilter(v);
}

Complex ActiveFilter::at(double frequency_hz) const {
  const double ratio = values_.pass == FilterPass::kLow ? frequency_hz / values_.corner_hz
                                                        : -values_.corner_hz / frequency_hz;
  // 1 / (j x) = -j / x: the high-pass is the low-pass at the turned-over frequency.
  const Complex h = 1.0 / value_of(polynomial_, Complex(0.0, ratio));
  return power_ == 2 ? h * h : h;
}

Complex ActiveWay::at(double frequency_hz) const {
  Complex h = (inverted ? -1.0 : 1.0) * std::pow(10.0, gain_db / 20.0);
  h *= std::polar(1.0, -2.0 * kPi * frequency_hz * delay_s);
  for (const ActiveFilter& filter : filters) h *= filter.at(frequency_hz);
  return h;
}

}  // namespace lalometer
