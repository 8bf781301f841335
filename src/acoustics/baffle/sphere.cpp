#include "acoustics/baffle/sphere.h"

#include <cmath>

#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

/// Spherical Hankel functions of the second kind, orders 0 .. count - 1, by upward recurrence,
/// which is stable for them: they grow with the order.
std::vector<Complex> hankel(double x, int count) {
  std::vector<Complex> h(static_cast<std::size_t>(count));
  const Complex e = std::polar(1.0, -x);
  h[0] = Complex(0.0, 1.0) / x * e;
  if (count > 1) h[1] = (Complex(0.0, 1.0) / (x * x) - 1.0 / x) * e;
  for (std::size_t n = 2; n < h.size(); ++n)
    h[n] = (2.0 * static_cast<double>(n) - 1.0) / x * h[n - 1] - h[n - 2];
  return h;
}

}  // namespace

std::vector<Complex> sphere_response(double a, double r, double angle, const FrequencyAxis& axis,
                                     double c) {
  const double x = std::cos(angle);
  const double s = std::sqrt(r * r + a * a - 2.0 * a * r * x);
  std::vector<Complex> result;
  for (const double f : axis.hz()) {
    const double k = 2.0 * kPi * f / c;
    // Terms fall as (a/r)^n beyond n = k a; both must have had their time.
    const int count = static_cast<int>(1.5 * k * a) + 20 +
                      static_cast<int>(30.0 / std::log(std::max(r / a, 1.02)));
    const std::vector<Complex> far = hankel(k * r, count);
    const std::vector<Complex> near = hankel(k * a, count + 1);
    Complex sum = 0.0;
    double before = 0.0;
    double legendre = 1.0;
    for (int n = 0; n < count; ++n) {
      const auto i = static_cast<std::size_t>(n);
      const Complex slope = n == 0 ? -near[1] : near[i - 1] - (n + 1.0) / (k * a) * near[i];
      const Complex term = (2.0 * n + 1.0) * legendre * far[i] / slope;
      if (!std::isfinite(term.real()) || !std::isfinite(term.imag())) break;
      sum += term;
      const double next = ((2.0 * n + 1.0) * x * legendre - n * before) / (n + 1.0);
      before = legendre;
      legendre = next;
    }
    // (-j rho c / 4 pi a^2) sum over j w rho / (2 pi s) exp(-j k s).
    result.push_back(-sum * s / (2.0 * k * a * a) * std::polar(1.0, k * s));
  }
  return result;
}

}  // namespace lalometer
