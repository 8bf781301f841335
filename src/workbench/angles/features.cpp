#include "workbench/angles/features.h"

#include <algorithm>
#include <cmath>

#include "acoustics/near_field/bass_figures.h"

namespace lalometer {

std::vector<double> outstanding(const Response& curve) {
  const Response fine = level_run(curve, 6);
  Response broad = level_run(curve, 1);
  broad = level_run(broad, 1);
  std::vector<double> out(curve.size());
  for (std::size_t i = 0; i < out.size(); ++i)
    out[i] = to_level_db(fine.magnitude(i), 1.0) - to_level_db(broad.magnitude(i), 1.0);
  return out;
}

std::vector<std::vector<double>> outstanding_at(const Orbit& orbit, Plane plane, double from_deg,
                                                double to_deg) {
  std::vector<std::vector<double>> all;
  for (const Orbit::Ray& ray : orbit.rays(plane)) {
    const double d = std::abs(ray.degrees);
    if (ray.mirrored || d < from_deg - 0.5 || d > to_deg + 0.5) continue;
    std::vector<double> level(orbit.axis().size());
    for (std::size_t i = 0; i < level.size(); ++i) level[i] = ray.curve.level_db(i);
    all.push_back(outstanding(of_levels(orbit.axis(), level, Quantity::kRatio, orbit.valid())));
  }
  return all;
}

std::vector<CurveFeature> features_of(const FrequencyAxis& axis, const std::vector<double>& y,
                                      double low, double high, double least_db) {
  constexpr double kStands_db = 0.35;
  std::vector<CurveFeature> found;
  for (std::size_t i = 0; i < y.size();) {
    if (axis[i] < low || axis[i] > high || std::abs(y[i]) < kStands_db) {
      ++i;
      continue;
    }
    std::size_t end = i;
    std::size_t top = i;
    while (end < y.size() && axis[end] <= high && std::abs(y[end]) >= kStands_db &&
           (y[end] > 0.0) == (y[i] > 0.0)) {
      if (std::abs(y[end]) > std::abs(y[top])) top = end;
      ++end;
    }
    if (std::abs(y[top]) >= least_db) found.push_back({i, end, axis[top], y[top]});
    i = end;
  }
  return found;
}

double shared_by(const CurveFeature& f, const std::vector<double>& own,
                 const std::vector<std::vector<double>>& others) {
  if (others.empty()) return 1.0;
  double sum = 0.0;
  for (const auto& other : others) {
    double top = 0.0;
    double bottom = 0.0;
    for (std::size_t i = f.from; i < f.to; ++i) {
      top += own[i] * other[i];
      bottom += own[i] * own[i];
    }
    sum += std::clamp(top / bottom, -1.0, 1.5);
  }
  return sum / static_cast<double>(others.size());
}

}  // namespace lalometer
