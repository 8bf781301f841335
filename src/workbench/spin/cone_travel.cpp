#include "workbench/spin/cone_travel.h"

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "book/description/driver_parameters.h"
#include "workbench/design/baffle_prediction.h"

namespace lalometer {
namespace {

/// Drivers that no crossover has above another, and no domes.
std::vector<const SubjectDriver*> of_the_bass(const SubjectGeometry& g) {
  std::vector<const SubjectDriver*> found;
  for (const SubjectDriver& d : g.drivers) {
    const bool above = std::any_of(g.crossovers.begin(), g.crossovers.end(),
                                   [&](const SubjectCrossover& x) { return x.high == d.id; });
    if (!above && !is_high_driver(d.role)) found.push_back(&d);
  }
  return found;
}

/// Where the next driver takes over; alone, a cone hardly travels above a kilohertz.
double handed_over_hz(const SubjectGeometry& g, const std::vector<const SubjectDriver*>& bass) {
  double top = 1000.0;
  for (const SubjectCrossover& x : g.crossovers)
    for (const SubjectDriver* d : bass)
      if (x.low == d->id) top = std::min(top, x.frequency_hz);
  return top;
}

/// What the edges make of the level in a half space, dB.
std::vector<double> by_the_edges(const OrbitMaterial& m, const std::string& driver) {
  constexpr double kWholeSpace_db = -6.0206;
  if (m.geometry->loading == "large-baffle") return std::vector<double>(m.orbit.axis().size(), 0.0);
  if (m.geometry->baffle) {
    if (auto p = predict_diffraction(*m.geometry, driver, m.distance_m, m.orbit.axis()))
      return std::move(p->level_db);
  }
  return std::vector<double>(m.orbit.axis().size(), kWholeSpace_db);
}

}  // namespace

std::optional<ConeTravel::Limit> ConeTravel::limit(const FrequencyAxis& axis,
                                                   const std::vector<double>& gain_db) const {
  std::optional<Limit> least;
  for (std::size_t i = 0; i < peak_m.size(); ++i) {
    if (!(peak_m[i] > 0.0)) continue;
    const double gain = gain_db.empty() ? 0.0 : gain_db[i];
    const double volts = rated_v * xmax_m / (peak_m[i] * std::pow(10.0, gain / 20.0));
    if (!least || volts < least->volts) least = Limit{volts, axis[i]};
  }
  return least;
}

std::optional<ConeTravel> cone_travel(const OrbitMaterial& m, double low_hz) {
  const Orbit::Ray* ahead = m.orbit.on_axis();
  if (!m.calibrated || !m.geometry || ahead == nullptr) return std::nullopt;
  const SubjectGeometry& g = *m.geometry;
  if (g.loading == "open-baffle" || g.loading == "horn" || g.loading == "free-air")
    return std::nullopt;
  const auto bass = of_the_bass(g);
  if (bass.empty()) return std::nullopt;
  ConeTravel out{.drivers = {},
                 .low_hz = low_hz,
                 .high_hz = handed_over_hz(g, bass),
                 .xmax_m = 1e9,
                 .rated_v = 1e9,
                 .peak_m = {}};
  double area_m2 = 0.0;
  for (const SubjectDriver* d : bass) {
    if (!d->xmax_m || !d->rated_v || !d->radius_m) return std::nullopt;
    out.drivers += (out.drivers.empty() ? "" : " and ") + d->id;
    out.xmax_m = std::min(out.xmax_m, *d->xmax_m);
    out.rated_v = std::min(out.rated_v, *d->rated_v);
    area_m2 += kPi * *d->radius_m * *d->radius_m;
  }
  if (g.loading != "sealed" && g.loading != "large-baffle") out.low_hz *= std::sqrt(2.0);
  const FrequencyAxis& axis = m.orbit.axis();
  const std::vector<double> edges = by_the_edges(m, bass.front()->id);
  out.peak_m.assign(axis.size(), 0.0);
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const double f = axis[i];
    if (f < out.low_hz || f > out.high_hz || !m.orbit.valid().contains(f)) continue;
    const double pascal =
        kReferencePressure_pa * std::pow(10.0, (ahead->curve.level_db(i) - edges[i]) / 20.0);
    const double at_drive =
        std::sqrt(2.0) * pascal * m.distance_m / (2.0 * kPi * f * f * kAirDensity_kg_m3 * area_m2);
    out.peak_m[i] = at_drive * out.rated_v / m.drive_v;
  }
  return out;
}

}  // namespace lalometer
