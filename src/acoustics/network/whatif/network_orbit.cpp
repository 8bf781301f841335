#include "acoustics/network/whatif/network_orbit.h"

namespace lalometer {

Result<Orbit> orbit_of(const NetworkSum& s) {
  const auto ray = [&](double degrees, const std::vector<std::complex<double>>& sum) {
    return Orbit::Ray{.degrees = degrees,
                      .curve = *Response::make(s.axis, sum, Quantity::kPressure, s.valid, true)};
  };
  std::vector<Orbit::Ray> horizontal = {ray(0.0, s.sum)}, vertical;
  for (const auto& [angle, sum] : s.angles) {
    if (angle.vertical_deg == 0.0)
      horizontal.push_back(ray(angle.horizontal_deg, sum));
    else if (angle.horizontal_deg == 0.0)
      vertical.push_back(ray(angle.vertical_deg, sum));
  }
  return Orbit::make(std::move(horizontal), std::move(vertical));
}

}  // namespace lalometer
