#include "workbench/beams/aim_study.h"

#include <algorithm>
#include <cmath>

#include "acoustics/near_field/bass_figures.h"
#include "acoustics/spin/spinorama.h"
#include "base/constants.h"

namespace lalometer {
namespace {

/// Rms off the trend or the target's shape.
double roughness_of(const Orbit& orbit, const std::vector<double>& level,
                    const std::vector<double>& target, const ValidRange& over) {
  const Response run =
      level_run(of_levels(orbit.axis(), level, Quantity::kRatio, orbit.valid()), 6);
  std::vector<double> off(run.size());
  for (std::size_t i = 0; i < off.size(); ++i)
    off[i] = run.level_db(i) - (target.empty() ? 0.0 : target[i]);
  std::optional<TrendLine> trend;
  if (target.empty()) trend = trend_of(orbit.axis(), off, over.low_hz, over.high_hz);
  double mean = 0.0;
  double square = 0.0;
  double octaves = 0.0;
  for (std::size_t i = 0; i + 1 < off.size(); ++i) {
    const double f = orbit.axis()[i];
    if (!over.contains(f)) continue;
    const double step = std::log2(orbit.axis()[i + 1] / f);
    const double v =
        off[i] -
        (trend ? trend->level_at_1k_db + trend->slope_db_per_octave * std::log2(f / 1000.0) : 0.0);
    mean += step * v;
    square += step * v * v;
    octaves += step;
  }
  mean /= octaves;
  return std::sqrt(std::max(0.0, square / octaves - mean * mean));
}

}  // namespace

std::optional<AimStudy> best_axis(const Orbit& orbit, const std::vector<double>& target) {
  constexpr double kStep_deg = 2.5;
  AimStudy study;
  study.over = {std::max({300.0, orbit.valid().low_hz, orbit.axis().front()}),
                std::min({16000.0, orbit.valid().high_hz, orbit.axis().back()})};
  if (orbit.on_axis() == nullptr || study.over.high_hz < 4.0 * study.over.low_hz)
    return std::nullopt;
  const auto here = level_along(orbit, 0.0, 0.0);
  if (!here) return std::nullopt;
  study.here.roughness_db = roughness_of(orbit, *here, target, study.over);
  study.best = study.here;
  for (double v = -15.0; v <= 15.1; v += kStep_deg)
    for (double h = -30.0; h <= 30.1; h += kStep_deg) {
      const auto level = level_along(orbit, h, v);
      if (!level) continue;
      const double rough = roughness_of(orbit, *level, target, study.over);
      // Of equals the nearest to the axis.
      const double away = 1e-4 * std::hypot(h, v);
      if (rough + away < study.best.roughness_db +
                             1e-4 * std::hypot(study.best.horizontal_deg, study.best.vertical_deg))
        study.best = {h, v, rough};
    }
  const double error = turning_error_db(orbit, study.best.horizontal_deg, study.best.vertical_deg);
  // The table's own half degree beside it.
  double table = 0.0;
  const auto near = level_along(orbit, study.best.horizontal_deg + 0.5, study.best.vertical_deg);
  if (near)
    table = std::abs(roughness_of(orbit, *near, target, study.over) - study.best.roughness_db);
  // An independent error e adds e^2 to the square of the roughness.
  const double rough = std::max(study.best.roughness_db, 0.05);
  study.uncertainty_db = std::hypot(std::hypot(rough, error / kTwoSided95) - rough, table, 0.05);
  return study;
}

double turning_error_db(const Orbit& orbit, double horizontal_deg, double vertical_deg) {
  double square = 0.0;
  const auto between = [&](Plane plane, double degrees) {
    if (degrees == 0.0 || orbit.at(plane, degrees) != nullptr) return;
    if (const auto error = between_rays_db(orbit, plane)) square += *error * *error;
  };
  if (vertical_deg == 0.0) {
    between(Plane::kHorizontal, horizontal_deg);
  } else if (horizontal_deg == 0.0) {
    between(Plane::kVertical, vertical_deg);
  } else {
    between(Plane::kHorizontal, horizontal_deg);
    between(Plane::kVertical, vertical_deg);
    const double polar = std::hypot(horizontal_deg, vertical_deg);
    const auto h = orbit.level_at(Plane::kHorizontal, horizontal_deg > 0.0 ? polar : -polar);
    const auto v = orbit.level_at(Plane::kVertical, vertical_deg > 0.0 ? polar : -polar);
    if (h && v) {
      double sum = 0.0;
      double count = 0.0;
      for (std::size_t i = 0; i < h->size(); ++i) {
        const double f = orbit.axis()[i];
        if (!orbit.valid().contains(f) || f < 300.0 || f > 10000.0) continue;
        sum += std::pow(((*h)[i] - (*v)[i]) / 3.0, 2);
        count += 1.0;
      }
      if (count > 0.0) square += sum / count;
    }
  }
  return kTwoSided95 * std::sqrt(square);
}

}  // namespace lalometer
