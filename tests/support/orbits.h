#pragma once

#include <cmath>
#include <functional>

#include "acoustics/directivity/orbit.h"
#include "workbench/angles/orbit_material.h"

/// Sets of angles written as functions.
namespace lalometer::test {

/// Pressure re 20 uPa at a plane, an angle in degrees and a frequency.
using Radiation = std::function<std::complex<double>(Plane, double degrees, double hz)>;

struct Circles {
  double step_deg = 10.0;
  double last_deg = 180.0;
  bool vertical = true;
  double per_octave = 24.0;
  double low_hz = 100.0;
};

inline Orbit orbit_of(const Radiation& at, const Circles& c = {}) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(c.low_hz, 20000.0, c.per_octave);
  std::vector<Orbit::Ray> rays[2];
  for (const Plane plane : {Plane::kHorizontal, Plane::kVertical}) {
    if (plane == Plane::kVertical && !c.vertical) continue;
    for (double d = -c.last_deg; d <= c.last_deg + 0.1; d += c.step_deg) {
      if (d < -179.9) continue;
      std::vector<std::complex<double>> values;
      for (const double f : axis.hz()) values.push_back(kReferencePressure_pa * at(plane, d, f));
      rays[plane == Plane::kHorizontal ? 0 : 1].push_back(
          {d,
           *Response::make(axis, std::move(values), Quantity::kPressure, {c.low_hz, 20000.0}, true),
           false});
    }
  }
  return *Orbit::make(std::move(rays[0]), std::move(rays[1]));
}

inline OrbitMaterial material_of(Orbit orbit,
                                 std::optional<SubjectGeometry> geometry = std::nullopt) {
  OrbitMaterial m{.orbit = std::move(orbit), .distance_m = 2.0, .geometry = std::move(geometry)};
  m.valid_from_hz = m.orbit.valid().low_hz;
  return m;
}

/// Two drivers one over the other, met at a frequency; radii 0: not told.
inline SubjectGeometry two_way(double low_radius_m, double high_radius_m, double apart_m,
                               double crossover_hz) {
  SubjectGeometry g;
  g.drivers.push_back(
      {.id = "woofer", .role = "woofer", .y_m = -0.5 * apart_m, .radius_m = std::nullopt});
  g.drivers.push_back(
      {.id = "tweeter", .role = "tweeter", .y_m = 0.5 * apart_m, .radius_m = std::nullopt});
  if (low_radius_m > 0.0) g.drivers[0].radius_m = low_radius_m;
  if (high_radius_m > 0.0) g.drivers[1].radius_m = high_radius_m;
  g.crossovers.push_back({"woofer", "tweeter", crossover_hz, 4});
  return g;
}

}  // namespace lalometer::test
