#include "workbench/beams/beam_model.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "acoustics/baffle/diffraction.h"
#include "acoustics/directivity/piston.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
constexpr double kStep_deg = 5.0;
constexpr double kToRadians = kPi / 180.0;

/// Levels of one side re the axis, as a map of that side.
AngleMap map_of(const std::vector<std::vector<Complex>>& rays) {
  AngleMap map;
  for (std::size_t r = 0; r < rays.size(); ++r) {
    map.degrees.push_back(kStep_deg * static_cast<double>(r));
    std::vector<double> row(rays[r].size());
    for (std::size_t i = 0; i < row.size(); ++i)
      row[i] = 20.0 * std::log10(std::max(std::abs(rays[r][i]), 1e-9) /
                                 std::max(std::abs(rays[0][i]), 1e-9));
    map.level_db.push_back(std::move(row));
  }
  return map;
}

/// Beamwidth of what radiates to both sides alike, from the axis to 90 degrees.
std::vector<double> width_of(const FrequencyAxis& axis, double fall_db,
                             const std::function<Complex(double angle_rad, std::size_t i)>& ray) {
  std::vector<std::vector<Complex>> rays;
  for (double d = 0.0; d <= 90.0; d += kStep_deg) {
    std::vector<Complex> row(axis.size());
    for (std::size_t i = 0; i < row.size(); ++i) row[i] = ray(d * kToRadians, i);
    rays.push_back(std::move(row));
  }
  return beamwidth_deg(map_of(rays), fall_db);
}

double along(const SubjectDriver& d, Plane plane) {
  return plane == Plane::kHorizontal ? d.x_m : d.y_m;
}

Complex beam_of(const SubjectDriver& d, double angle, double f, double c) {
  if (d.waveguide) return waveguide_directivity(*d.waveguide, angle, f, c);
  return d.radius_m ? piston_directivity(*d.radius_m, angle, f, c) : 1.0;
}

/// Both sides of the plane by the edge model.
BeamModel edge_model(const SubjectGeometry& g, const SubjectDriver& d, const BafflePiston& piston,
                     Plane plane, const FrequencyAxis& axis, double fall_db, double distance_m,
                     double c) {
  // A small source at this place: what it beams by itself is another cause.
  const auto point =
      BafflePiston::make(*g.baffle, piston.x_m(), piston.y_m(), std::min(0.005, piston.radius_m()));
  AngleMap map;
  std::vector<double> ahead;
  std::vector<std::pair<double, std::vector<double>>> rows;
  for (double deg = -80.0; deg <= 80.1; deg += 16.0) {
    const double h = plane == Plane::kHorizontal ? deg * kToRadians : 0.0;
    const double v = plane == Plane::kVertical ? deg * kToRadians : 0.0;
    const BafflePoint at = point_at(g.origin_x_m, g.origin_y_m, distance_m, h, v);
    const auto values = baffle_response(*g.baffle, point ? *point : piston, at, axis, c,
                                        DiffractionEffort::kCoarse);
    std::vector<double> level(axis.size());
    for (std::size_t i = 0; i < level.size(); ++i)
      level[i] = 20.0 * std::log10(std::max(std::abs(values[i]), 1e-9));
    if (std::abs(deg) < 0.1) ahead = level;
    rows.emplace_back(deg, std::move(level));
  }
  for (auto& [deg, level] : rows) {
    for (std::size_t i = 0; i < level.size(); ++i) level[i] -= ahead[i];
    map.degrees.push_back(deg);
    map.level_db.push_back(std::move(level));
  }
  return {BeamCause::kEdges, d.id, beamwidth_deg(map, fall_db), std::move(ahead)};
}

}  // namespace

std::string_view word_of(BeamCause cause) {
  switch (cause) {
    case BeamCause::kBeaming:
      return "beaming";
    case BeamCause::kWaveguide:
      return "waveguide";
    case BeamCause::kSpacing:
      return "spacing";
    default:
      return "edges";
  }
}

double share_at(const SubjectGeometry& g, const std::string& driver, double f) {
  double share = 1.0;
  for (const SubjectCrossover& x : g.crossovers) {
    const double low = 1.0 / (1.0 + std::pow(f / x.frequency_hz,
                                             x.order > 0 ? static_cast<double>(x.order) : 4.0));
    if (x.low == driver) share *= low;
    if (x.high == driver) share *= 1.0 - low;
  }
  return share;
}

BeamModels beam_models(const SubjectGeometry& g, Plane plane, double fall_db, double distance_m,
                       double c) {
  BeamModels out;
  const FrequencyAxis& axis = out.axis;
  std::vector<BeamModel>& models = out.models;
  // Several drivers whose crossovers nobody told: who plays where is not known.
  const bool shared = g.drivers.size() < 2 || !g.crossovers.empty();
  if (!shared || g.drivers.empty()) return out;
  std::vector<std::vector<double>> shares;
  for (const SubjectDriver& d : g.drivers) {
    std::vector<double> one;
    for (const double f : axis.hz()) one.push_back(share_at(g, d.id, f));
    shares.push_back(std::move(one));
  }
  const auto summed = [&](const std::function<Complex(const SubjectDriver&, double, double)>& of) {
    return width_of(axis, fall_db, [&](double angle, std::size_t i) {
      Complex sum = 0.0;
      for (std::size_t k = 0; k < g.drivers.size(); ++k)
        sum += shares[k][i] * of(g.drivers[k], angle, axis[i]);
      return sum;
    });
  };
  const bool sized = std::all_of(g.drivers.begin(), g.drivers.end(), [](const SubjectDriver& d) {
    return d.radius_m.has_value() || d.waveguide.has_value();
  });
  const bool guided = std::any_of(g.drivers.begin(), g.drivers.end(),
                                  [](const SubjectDriver& d) { return d.waveguide.has_value(); });
  if (sized)
    models.push_back({guided ? BeamCause::kWaveguide : BeamCause::kBeaming,
                      {},
                      summed([&](const SubjectDriver& d, double angle, double f) {
                        return beam_of(d, angle, f, c);
                      })});
  double low = 1e9;
  double high = -1e9;
  for (const SubjectDriver& d : g.drivers) {
    low = std::min(low, along(d, plane));
    high = std::max(high, along(d, plane));
  }
  if (high - low > 0.01)
    models.push_back(
        {BeamCause::kSpacing, {}, summed([&](const SubjectDriver& d, double angle, double f) {
           return std::polar(1.0, 2.0 * kPi * f / c * along(d, plane) * std::sin(angle));
         })});
  if (!g.baffle) return out;
  for (std::size_t k = 0; k < g.drivers.size(); ++k) {
    const auto piston = g.piston(g.drivers[k]);
    if (!piston) continue;
    // Where it leads; the edges' ripple is broad, a coarse axis will do.
    double from = 1e12;
    double to = 0.0;
    for (std::size_t i = 0; i < axis.size(); ++i) {
      if (shares[k][i] < 0.5 || axis[i] < 200.0 || axis[i] > 16000.0) continue;
      from = std::min(from, axis[i]);
      to = std::max(to, axis[i]);
    }
    if (to < 1.5 * from) continue;
    const FrequencyAxis coarse = FrequencyAxis::logarithmic(from, to, 8.0);
    BeamModel edges = edge_model(g, g.drivers[k], *piston, plane, coarse, fall_db, distance_m, c);
    std::vector<double> over(axis.size(), std::nan(""));
    std::vector<double> ahead(axis.size(), std::nan(""));
    for (std::size_t i = 0; i < over.size(); ++i) {
      if (axis[i] < coarse.front() || axis[i] > coarse.back()) continue;
      over[i] = value_between(coarse, edges.beamwidth_deg, axis[i]);
      ahead[i] = value_between(coarse, edges.ahead_db, axis[i]);
    }
    edges.beamwidth_deg = std::move(over);
    edges.ahead_db = std::move(ahead);
    models.push_back(std::move(edges));
  }
  return out;
}

}  // namespace lalometer
