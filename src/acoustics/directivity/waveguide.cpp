#include "acoustics/directivity/waveguide.h"

#include <algorithm>
#include <cmath>

#include "acoustics/signal/quadrature.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

double cap_area_m2(double radius_m, double half_angle_rad) {
  return 2.0 * kPi * radius_m * radius_m * (1.0 - std::cos(half_angle_rad));
}

}  // namespace

double Waveguide::throat_from_apex_m() const {
  return throat_radius_m / std::sin(half_angle_rad);
}
double Waveguide::mouth_from_apex_m() const {
  return mouth_radius_m / std::sin(half_angle_rad);
}
double Waveguide::throat_area_m2() const {
  return cap_area_m2(throat_from_apex_m(), half_angle_rad);
}
double Waveguide::mouth_area_m2() const {
  return cap_area_m2(mouth_from_apex_m(), half_angle_rad);
}

Complex throat_load_pa_s_m3(const Waveguide& guide, double f, double c) {
  const Complex jkr(0.0, 2.0 * kPi * f / c * guide.throat_from_apex_m());
  return kAirDensity_kg_m3 * c / guide.throat_area_m2() * jkr / (1.0 + jkr);
}

Complex mouth_gain(const Waveguide& guide, double f, double c) {
  const double k = 2.0 * kPi * f / c;
  const double mouth = k * guide.mouth_from_apex_m();
  const double throat = k * guide.throat_from_apex_m();
  return Complex(1.0, mouth) / Complex(1.0, throat) * std::polar(1.0, throat - mouth);
}

Complex waveguide_directivity(const Waveguide& guide, double angle_rad, double f, double c) {
  const double kr = 2.0 * kPi * f / c * guide.mouth_from_apex_m();
  const double t0 = guide.half_angle_rad;
  const double angle = std::min(std::abs(angle_rad), 0.5 * kPi);
  // Enough points that the phase turns less than a radian from one to the next.
  const int count = std::clamp(static_cast<int>(kr * t0) + 8, 12, 64);
  const GaussLegendre& rule = gauss_legendre(count);
  Complex sum = 0.0;
  for (std::size_t i = 0; i < rule.node.size(); ++i) {
    const double t = 0.5 * t0 * (1.0 + rule.node[i]);
    const double bessel = ::j0(kr * std::sin(t) * std::sin(angle));
    sum += 0.5 * t0 * rule.weight[i] * bessel * std::sin(t) *
           std::polar(1.0, kr * (std::cos(t) - std::cos(t0)) * std::cos(angle));
  }
  return sum / (1.0 - std::cos(t0));
}

}  // namespace lalometer
