#include "acoustics/level/residue/air_noise.h"

#include <algorithm>
#include <cmath>

#include "base/constants.h"

namespace lalometer {

double near_length_m(double radius_m, double distance_m) {
  return std::hypot(radius_m, distance_m) - distance_m;
}

double port_air_speed_m_s(double near_pa, double frequency_hz, double radius_m, double distance_m) {
  return std::sqrt(2.0) * near_pa /
         (kAirDensity_kg_m3 * 2.0 * kPi * frequency_hz * near_length_m(radius_m, distance_m));
}

double AirNoisePoint::under_db() const {
  return 20.0 * std::log10(std::max(fundamental_pa, 1e-30) / std::max(noise_pa, 1e-30));
}

AirNoise air_noise_of(std::vector<AirNoisePoint> points) {
  std::sort(points.begin(), points.end(), [](const AirNoisePoint& a, const AirNoisePoint& b) {
    return a.speed_m_s < b.speed_m_s;
  });
  AirNoise r{.points = std::move(points)};
  double n = 0.0, sx = 0.0, sy = 0.0, sxx = 0.0, sxy = 0.0;
  const AirNoisePoint* first = nullptr;
  for (const AirNoisePoint& p : r.points) {
    if (!p.heard() || !(p.speed_m_s > 0.0)) continue;
    if (first == nullptr) first = &p;
    const double x = std::log(p.speed_m_s);
    const double y = std::log(p.noise_pa);
    n += 1.0;
    sx += x;
    sy += y;
    sxx += x * x;
    sxy += x * y;
  }
  if (first == nullptr) return r;
  const double spread = n * sxx - sx * sx;
  if (n >= 2.0 && spread > 1e-6) {
    const double slope = (n * sxy - sx * sy) / spread;
    r.power = slope;
    if (slope > 0.5 && first->background_pa > 0.0)
      r.heard_from_m_s =
          first->speed_m_s * std::pow(first->background_pa / first->noise_pa, 1.0 / slope);
  }
  if (!r.heard_from_m_s) r.heard_from_m_s = first->speed_m_s;
  return r;
}

}  // namespace lalometer
