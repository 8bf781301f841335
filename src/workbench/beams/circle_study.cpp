#include "workbench/beams/circle_study.h"

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

std::string spacing_reason(const SubjectGeometry& g, Plane plane, double f, double c) {
  const SubjectDriver* a = nullptr;
  const SubjectDriver* b = nullptr;
  for (const SubjectDriver& d : g.drivers) {
    if (share_at(g, d.id, f) < 0.1) continue;
    const auto at = [&](const SubjectDriver& one) {
      return plane == Plane::kHorizontal ? one.x_m : one.y_m;
    };
    if (a == nullptr || at(d) < at(*a)) a = &d;
    if (b == nullptr || at(d) > at(*b)) b = &d;
  }
  if (a == nullptr || a == b) return {};
  const double apart =
      plane == Plane::kHorizontal ? std::abs(a->x_m - b->x_m) : std::abs(a->y_m - b->y_m);
  return fmt::format("{} and {} stand {:.0f} mm apart, {:.1f} wavelengths", a->id, b->id,
                     apart * 1e3, apart * f / c);
}

/// The driver that leads there.
const SubjectDriver* leader(const SubjectGeometry& g, double f) {
  const SubjectDriver* lead = nullptr;
  for (const SubjectDriver& d : g.drivers)
    if (lead == nullptr || share_at(g, d.id, f) > share_at(g, lead->id, f)) lead = &d;
  return lead;
}

std::string reason_of(const OrbitMaterial& m, const BeamModel& model, const BeamChange& change,
                      Plane plane) {
  const SubjectGeometry& g = *m.geometry;
  const double f = change.where.at_hz;
  const double c = m.speed_of_sound_m_s;
  if (model.cause == BeamCause::kSpacing) return spacing_reason(g, plane, f, c);
  if (model.cause == BeamCause::kEdges)
    return fmt::format("the cabinet's edges {} the axis before {}",
                       change.wider ? "lower" : "raise", model.driver);
  const SubjectDriver* lead = leader(g, f);
  if (lead == nullptr) return {};
  if (lead->waveguide)
    return fmt::format("the mouth of {}'s waveguide is {:.1f} wavelengths wide", lead->id,
                       2.0 * lead->waveguide->mouth_radius_m * f / c);
  const double ka = 2.0 * kPi * f / c * lead->radius_m.value_or(0.0);
  return change.wider ? fmt::format("{} has taken over and is small (ka {:.1f})", lead->id, ka)
                      : fmt::format("{} beams (ka {:.1f})", lead->id, ka);
}

/// How near one of a model's widths about a place comes to the measured one: 1 alike, 0.37 a
/// quarter off.
double nearness(const FrequencyAxis& axis, const BeamModel& model, const Narrowing& n) {
  constexpr double kAbout_octaves = 1.0 / 6.0;
  double best = 0.0;
  for (std::size_t i = 0; i < axis.size(); ++i) {
    if (std::abs(std::log2(axis[i] / n.at_hz)) > kAbout_octaves ||
        !std::isfinite(model.beamwidth_deg[i]))
      continue;
    const double off = std::log(model.beamwidth_deg[i] / n.beamwidth_deg) / std::log(1.25);
    best = std::max(best, std::exp(-off * off));
  }
  return best;
}

/// Edges that lower the axis against the octave about it let the angles stand out.
double lowered(const FrequencyAxis& axis, const BeamModel& model, double at_hz) {
  double here = 1e9;
  double sum = 0.0;
  double count = 0.0;
  for (std::size_t i = 0; i < axis.size() && !model.ahead_db.empty(); ++i) {
    const double away = std::abs(std::log2(axis[i] / at_hz));
    if (away > 0.75 || !std::isfinite(model.ahead_db[i])) continue;
    if (away < 0.15) here = std::min(here, model.ahead_db[i]);
    sum += model.ahead_db[i];
    count += 1.0;
  }
  if (count < 3.0 || here > 1e8) return 0.0;
  return std::clamp((sum / count - here) / 3.0, 0.0, 1.0);
}

/// The next driver leads there and a crossover lies within the octave and a half below.
double taken_over(const SubjectGeometry& g, double f) {
  const SubjectDriver* lead = leader(g, f);
  for (const SubjectCrossover& x : g.crossovers)
    if (lead != nullptr && x.high == lead->id && f > 0.9 * x.frequency_hz &&
        f < 2.9 * x.frequency_hz)
      return 0.8;
  return 0.0;
}

std::vector<BeamChange::Cause> causes_of(const OrbitMaterial& m, const BeamChange& change,
                                         const BeamModels& models, Plane plane) {
  constexpr double kLeast = 0.37;  // a quarter off
  std::vector<BeamChange::Cause> causes;
  const FrequencyAxis& axis = models.axis;
  for (const BeamModel& model : models.models) {
    double fit = 0.0;
    if (!change.wider)
      fit = nearness(axis, model, change.where);
    else if (model.cause == BeamCause::kEdges)
      fit = lowered(axis, model, change.where.at_hz);
    else if (model.cause != BeamCause::kSpacing)
      fit = taken_over(*m.geometry, change.where.at_hz);
    if (fit < kLeast) continue;
    std::string reason = reason_of(m, model, change, plane);
    if (!reason.empty()) causes.push_back({model.cause, std::move(reason), fit});
  }
  std::stable_sort(
      causes.begin(), causes.end(),
      [](const BeamChange::Cause& a, const BeamChange::Cause& b) { return a.fit > b.fit; });
  return causes;
}

std::vector<AngleDeviation> deviations_of(const Orbit& orbit, const AngleMap& map,
                                          const ValidRange& over) {
  std::vector<AngleDeviation> all;
  for (std::size_t r = 0; r < map.degrees.size(); ++r) {
    if (std::abs(map.degrees[r]) < 0.5 || std::abs(map.degrees[r]) > 60.5) continue;
    double sum = 0.0;
    double octaves = 0.0;
    for (std::size_t i = 0; i + 1 < orbit.axis().size(); ++i) {
      if (!over.contains(orbit.axis()[i])) continue;
      const double step = std::log2(orbit.axis()[i + 1] / orbit.axis()[i]);
      sum += step * map.level_db[r][i];
      octaves += step;
    }
    if (octaves < 1.0) continue;
    AngleDeviation d{map.degrees[r], sum / octaves, sum / octaves, over.low_hz};
    for (std::size_t i = 0; i < orbit.axis().size(); ++i)
      if (over.contains(orbit.axis()[i]) &&
          std::abs(map.level_db[r][i] - d.mean_db) > std::abs(d.worst_db - d.mean_db))
        d.worst_db = map.level_db[r][i], d.worst_at_hz = orbit.axis()[i];
    all.push_back(d);
  }
  return all;
}

}  // namespace

std::string spoken(const BeamChange& change) {
  std::string text = fmt::format("{} to {:.0f}° at {}", change.wider ? "Widens" : "Narrows",
                                 change.where.beamwidth_deg, frequency_text(change.where.at_hz));
  if (change.causes.empty()) return text + ": nothing of the drawing foretells it";
  text += ": " + change.causes.front().reason;
  if (change.causes.size() > 1 && change.causes[1].fit > 0.6 * change.causes[0].fit)
    text += "; or " + change.causes[1].reason;
  return text;
}

CircleReading circle_reading(const OrbitMaterial& m, Plane plane, double fall_db,
                             const BeamModels& models) {
  CircleReading r;
  r.plane = plane;
  r.fall_db = fall_db;
  const Orbit& orbit = m.orbit;
  r.map = angle_map(orbit, plane);
  if (r.map && r.map->degrees.size() < 2) r.map = std::nullopt;
  if (!r.map) {
    r.notes.emplace_back(orbit.on_axis() == nullptr
                             ? "There is no response at 0° to hold the others against."
                             : "There is only one angle in this plane.");
    return r;
  }
  const FrequencyAxis& axis = orbit.axis();
  r.beamwidth_deg = beamwidth_deg(*r.map, fall_db);
  for (const BeamModel& model : models.models) {
    if (model.cause != BeamCause::kBeaming && model.cause != BeamCause::kWaveguide) continue;
    r.expected_deg.assign(axis.size(), std::nan(""));
    for (std::size_t i = 0; i < axis.size(); ++i)
      if (axis[i] >= models.axis.front() && axis[i] <= models.axis.back())
        r.expected_deg[i] = value_between(models.axis, model.beamwidth_deg, axis[i]);
  }
  r.coverage = coverage_of(axis, orbit.valid(), r.beamwidth_deg);
  for (const bool wider : {false, true})
    for (const Narrowing& n : wider ? widenings(axis, orbit.valid(), r.beamwidth_deg)
                                    : narrowings(axis, orbit.valid(), r.beamwidth_deg)) {
      BeamChange change{n, wider};
      if (m.geometry) change.causes = causes_of(m, change, models, plane);
      r.changes.push_back(std::move(change));
    }
  std::stable_sort(
      r.changes.begin(), r.changes.end(),
      [](const BeamChange& a, const BeamChange& b) { return a.where.at_hz < b.where.at_hz; });
  r.index = index_of(orbit, plane);
  r.asymmetry_db = asymmetry_db(orbit, plane);
  for (const double degrees : {15.0, 30.0, 45.0, 60.0})
    r.separation_hz.emplace_back(degrees, separation_hz(orbit, plane, degrees));
  r.deviations_over = {std::max({300.0, orbit.valid().low_hz, axis.front()}),
                       std::min({10000.0, orbit.valid().high_hz, axis.back()})};
  r.deviations = deviations_of(orbit, *r.map, r.deviations_over);
  return r;
}

}  // namespace lalometer
