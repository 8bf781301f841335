#include "diagnosis/view/sound/features.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "acoustics/near_field/bass_figures.h"

namespace lalometer {

std::vector<double> level_on(const Response& curve, const FrequencyAxis& axis) {
  std::vector<double> out;
  const ValidRange valid = intersect(curve.valid(), {curve.axis().front(), curve.axis().back()});
  for (const double f : axis.hz())
    out.push_back(valid.contains(f)
                      ? to_level_db(std::abs(value_at(curve, f)), level_reference(curve.quantity()))
                      : std::numeric_limits<double>::quiet_NaN());
  return out;
}

std::vector<double> with_ends(std::vector<double> y) {
  double last = 0.0;
  for (const double v : y)
    if (std::isfinite(v)) {
      last = v;
      break;
    }
  for (double& v : y) {
    if (std::isfinite(v))
      last = v;
    else
      v = last;
  }
  return y;
}

std::vector<double> outstanding(const FrequencyAxis& axis, const std::vector<double>& level_db) {
  std::vector<double> out = mean_run(axis, level_db, 6);
  const std::vector<double> broad = mean_run(axis, mean_run(axis, level_db, 1), 1);
  for (std::size_t i = 0; i < out.size(); ++i) out[i] -= broad[i];
  return out;
}

std::vector<double> finely(const FrequencyAxis& axis, const std::vector<double>& level_db) {
  std::vector<double> out = level_db;
  const std::vector<double> run = mean_run(axis, mean_run(axis, level_db, 3), 3);
  for (std::size_t i = 0; i < out.size(); ++i) out[i] -= run[i];
  return out;
}

std::vector<std::vector<double>> outstanding_at(const Orbit& orbit, Plane plane, double from_deg,
                                                double to_deg) {
  std::vector<std::vector<double>> all;
  for (const Orbit::Ray& ray : orbit.rays(plane)) {
    const double d = std::abs(ray.degrees);
    if (ray.mirrored || d < from_deg - 0.5 || d > to_deg + 0.5) continue;
    all.push_back(outstanding(orbit.axis(), ray.level_db));
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

std::optional<double> scatter_db(const Response& curve, double from_hz, double to_hz) {
  std::vector<double> bends;
  for (std::size_t i = 2; i < curve.size(); ++i)
    if (curve.axis()[i - 2] >= from_hz && curve.axis()[i] <= to_hz)
      bends.push_back(
          std::abs(curve.level_db(i) - 2.0 * curve.level_db(i - 1) + curve.level_db(i - 2)));
  if (bends.size() < 8) return std::nullopt;
  const auto middle = bends.begin() + static_cast<std::ptrdiff_t>(bends.size() / 2);
  std::nth_element(bends.begin(), middle, bends.end());
  return *middle / 0.6745 / std::sqrt(6.0);
}

}  // namespace lalometer
