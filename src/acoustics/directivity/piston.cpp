#include "acoustics/directivity/piston.h"

#include <cmath>

#include "base/constants.h"

namespace lalometer {
namespace {

double two_j1_over_x(double x) {
  const double size = std::abs(x);
  return size < 1e-4 ? 1.0 - size * size / 8.0 : 2.0 * std::cyl_bessel_j(1.0, size) / size;
}

}  // namespace

double piston_directivity(double radius_m, double angle_rad, double frequency_hz, double c) {
  return two_j1_over_x(2.0 * kPi * frequency_hz / c * radius_m * std::sin(angle_rad));
}

double piston_angle_rad(double radius_m, double below_db, double frequency_hz, double c) {
  const double wanted = std::pow(10.0, -below_db / 20.0);
  // 2 J1(x)/x falls without a turn up to its first null at 3.8317.
  double low = 0.0;
  double high = 3.8317;
  for (int i = 0; i < 60; ++i) {
    const double middle = 0.5 * (low + high);
    (two_j1_over_x(middle) > wanted ? low : high) = middle;
  }
  const double sine = low / (2.0 * kPi * frequency_hz / c * radius_m);
  return sine >= 1.0 ? 0.5 * kPi : std::asin(sine);
}

double effective_radius_m(double radius_m, double breakup_hz, double frequency_hz) {
  if (breakup_hz <= 0.0 || frequency_hz <= breakup_hz) return radius_m;
  return radius_m * std::sqrt(breakup_hz / frequency_hz);
}

std::complex<double> summed_pressure_pa(const std::vector<SummedSource>& sources,
                                        const BafflePoint& at, double frequency_hz, double c) {
  const double k = 2.0 * kPi * frequency_hz / c;
  std::complex<double> sum = 0.0;
  for (const SummedSource& s : sources) {
    const double dx = at.x_m - s.place.x_m;
    const double dy = at.y_m - s.place.y_m;
    const double dz = at.z_m - s.place.z_m;
    const double r = std::sqrt(dx * dx + dy * dy + dz * dz);
    const double off_axis = std::atan2(std::hypot(dx, dy), dz);
    const double beam =
        s.radius_m > 0.0 ? piston_directivity(s.radius_m, off_axis, frequency_hz, c) : 1.0;
    sum += s.pressure_1m_pa * beam / r * std::polar(1.0, -k * r);
  }
  return sum;
}

std::optional<double> first_lobing_null_rad(double spacing_m, double frequency_hz, double c) {
  const double sine = 0.5 * c / frequency_hz / spacing_m;
  if (sine > 1.0) return std::nullopt;
  return std::asin(sine);
}

}  // namespace lalometer
