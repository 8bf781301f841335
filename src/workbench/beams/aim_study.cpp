#include "workbench/beams/aim_study.h"

#include <algorithm>
#include <cmath>

#include "acoustics/near_field/bass_figures.h"
#include "base/constants.h"

namespace lalometer {
namespace {

/// Rms off the trend or the target's shape.
double roughness_of(const FrequencyAxis& axis, const std::vector<double>& level,
                    const std::vector<double>& target) {
  std::vector<double> off = mean_run(axis, level, 6);
  double n = 0.0, sx = 0.0, sy = 0.0, sxx = 0.0, sxy = 0.0, syy = 0.0;
  for (std::size_t i = 0; i + 1 < off.size(); ++i) {
    const double w = std::log2(axis[i + 1] / axis[i]);
    const double x = std::log2(axis[i] / 1000.0);
    const double y = off[i] - (target.empty() ? 0.0 : target[i]);
    n += w, sx += w * x, sy += w * y, sxx += w * x * x, sxy += w * x * y, syy += w * y * y;
  }
  const double vxx = sxx / n - sx * sx / n / n;
  const double vxy = sxy / n - sx * sy / n / n;
  const double vyy = syy / n - sy * sy / n / n;
  return std::sqrt(std::max(0.0, target.empty() ? vyy - vxy * vxy / vxx : vyy));
}

}  // namespace

std::optional<AimStudy> best_axis(const Orbit& orbit, const std::vector<double>& target) {
  constexpr double kStep_deg = 2.5;
  AimStudy study;
  study.over = {std::max({300.0, orbit.valid().low_hz, orbit.axis().front()}),
                std::min({16000.0, orbit.valid().high_hz, orbit.axis().back()})};
  if (orbit.on_axis() == nullptr || study.over.high_hz < 4.0 * study.over.low_hz)
    return std::nullopt;
  // The ripple that counts is broad: 24 points an octave carry it.
  const Orbit few = thinned(orbit, 24.0, study.over.low_hz, study.over.high_hz);
  std::vector<double> wanted;
  for (std::size_t i = 0; i < few.axis().size() && !target.empty(); ++i)
    wanted.push_back(value_between(orbit.axis(), target, few.axis()[i]));
  const auto rough_at = [&](double h, double v) -> std::optional<double> {
    const auto level = level_along(few, h, v);
    if (!level) return std::nullopt;
    return roughness_of(few.axis(), *level, wanted);
  };
  const auto here = rough_at(0.0, 0.0);
  if (!here) return std::nullopt;
  study.here.roughness_db = *here;
  study.best = study.here;
  const auto look = [&](double h, double v) {
    const auto rough = rough_at(h, v);
    if (!rough || std::abs(h) > 30.1 || std::abs(v) > 15.1) return;
    // Of equals the nearest to the axis.
    const double best = study.best.roughness_db +
                        1e-4 * std::hypot(study.best.horizontal_deg, study.best.vertical_deg);
    if (*rough + 1e-4 * std::hypot(h, v) < best) study.best = {h, v, *rough};
  };
  for (double v = -15.0; v <= 15.1; v += 2.0 * kStep_deg)
    for (double h = -30.0; h <= 30.1; h += 2.0 * kStep_deg) look(h, v);
  const Aim coarse = study.best;
  for (const double v : {-kStep_deg, 0.0, kStep_deg})
    for (const double h : {-kStep_deg, 0.0, kStep_deg})
      look(coarse.horizontal_deg + h, coarse.vertical_deg + v);
  const double error = turning_error_db(orbit, study.best.horizontal_deg, study.best.vertical_deg);
  // The table's own half degree beside it.
  double table = 0.0;
  if (const auto near = rough_at(study.best.horizontal_deg + 0.5, study.best.vertical_deg))
    table = std::abs(*near - study.best.roughness_db);
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
