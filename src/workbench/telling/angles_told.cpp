#include "workbench/telling/angles_told.h"

#include <algorithm>
#include <cmath>

#include "base/text.h"

namespace lalometer {
namespace {

void put_average(Told& told, const char* key, const SpatialAverage& average) {
  if (average.empty())
    told.put(key, nullptr);
  else
    told.put(key, Told::Value(average));
}

void put_plain(Told& told, const char* key, const std::optional<Estimate>& e) {
  if (e)
    told.put_apart(key, *e);
  else
    told.put(key, nullptr);
}

std::vector<double> degrees_of(const std::vector<Orbit::Ray>& rays) {
  std::vector<double> all;
  for (const Orbit::Ray& ray : rays) all.push_back(ray.degrees);
  return all;
}

}  // namespace

Told told_of(const OrbitMaterial& m, const SpinReading& r) {
  Told told;
  const FrequencyAxis& axis = m.orbit.axis();
  told.put("frequency_hz", Told::Value(std::vector<double>(axis.hz().begin(), axis.hz().end())));
  put_average(told, "on_axis_db", r.spin.on_axis_db);
  put_average(told, "listening_window_db", r.spin.listening_window_db);
  put_average(told, "early_reflections_db", r.spin.early_reflections_db);
  Told bounces;
  put_average(bounces, "floor_db", r.spin.floor_db);
  put_average(bounces, "ceiling_db", r.spin.ceiling_db);
  put_average(bounces, "front_wall_db", r.spin.front_wall_db);
  put_average(bounces, "side_wall_db", r.spin.side_wall_db);
  put_average(bounces, "rear_wall_db", r.spin.rear_wall_db);
  told.put("bounces", std::move(bounces));
  put_average(told, "sound_power_db", r.spin.sound_power_db);
  put_average(told, "sound_power_di_db", r.spin.sound_power_di_db);
  put_average(told, "early_reflections_di_db", r.spin.early_reflections_di_db);
  put_average(told, "predicted_in_room_db", r.spin.predicted_in_room_db);
  put_plain(told, "sensitivity_db", r.sensitivity_db);
  put_plain(told, "f3_hz", r.f3_hz);
  put_plain(told, "f6_hz", r.f6_hz);
  put_plain(told, "f10_hz", r.f10_hz);
  put_plain(told, "deviation_db", r.deviation_db);
  put_plain(told, "predicted_in_room_slope_db_per_octave", r.slope_db_per_octave);
  Told preference;
  preference.put("score", r.preference.score)
      .put("score_with_subwoofer", r.preference.score_with_subwoofer)
      .put("nbd_on", r.preference.nbd_on)
      .put("nbd_pir", r.preference.nbd_pir)
      .put("lfx", r.preference.lfx)
      .put("sm_pir", r.preference.sm_pir)
      .put("score_uncertainty", r.score ? std::optional(r.score->half_width) : std::nullopt);
  told.put("preference", std::move(preference));
  Told angles;
  angles.put("horizontal_deg", Told::Value(degrees_of(m.orbit.rays(Plane::kHorizontal))));
  angles.put("vertical_deg", Told::Value(degrees_of(m.orbit.rays(Plane::kVertical))));
  angles.put("missing", Told::Value(r.spin.missing));
  angles.put("mirrored", Told::Value(r.spin.mirrored));
  told.put("angles", std::move(angles));
  told.put("extended_below_hz", m.extended_below_hz);
  told.put("valid_from_hz", m.valid_from_hz).put("drive_v", m.drive_v);
  told.put("distance_m", m.distance_m);
  return std::move(told.notes(r.notes).notes(m.notes).columns_every(16));
}

Told told_of_circle(const OrbitMaterial& m, Plane plane, double fall_db) {
  Told told;
  const Orbit& orbit = m.orbit;
  const FrequencyAxis& axis = orbit.axis();
  told.put("frequency_hz", Told::Value(std::vector<double>(axis.hz().begin(), axis.hz().end())));
  const auto map = angle_map(orbit, plane);
  if (!map || map->degrees.size() < 2) {
    for (const char* key : {"beamwidth_deg", "coverage_from_hz", "separation_hz",
                            "directivity_index_db", "map", "narrowing", "asymmetry_db"})
      told.put(key, nullptr);
    told.note(map ? "There is but one angle in this plane." : "There is no response at 0°.");
    return std::move(told.notes(m.notes));
  }
  const std::vector<double> width = beamwidth_deg(*map, fall_db);
  told.put("beamwidth_deg", Told::Value(width));
  const auto coverage = coverage_of(axis, orbit.valid(), width);
  told.put("coverage_from_hz", coverage ? std::optional(coverage->from_hz) : std::nullopt);
  told.put("coverage_to_hz", coverage ? std::optional(coverage->to_hz) : std::nullopt);
  told.put("coverage_deg", coverage ? std::optional(coverage->degrees) : std::nullopt);
  Told separation;
  for (const int degrees : {15, 30, 45, 60}) {
    auto from = separation_hz(orbit, plane, degrees);
    if (!from && orbit.at(plane, degrees) == nullptr && orbit.at(plane, -degrees) == nullptr) {
      // Between the angles that were taken, by straight lines in dB.
      std::vector<Orbit::Ray> rays = orbit.rays(plane);
      const auto between = orbit.level_at(plane, degrees, 20.5);
      const auto other = orbit.level_at(plane, -degrees, 20.5);
      for (const auto& [angle, level] :
           {std::pair(1.0 * degrees, between), {-1.0 * degrees, other}}) {
        if (!level) continue;
        std::vector<std::complex<double>> values;
        const Quantity quantity = rays.front().curve.quantity();
        for (const double v : *level)
          values.push_back(from_level(v, 0.0, level_reference(quantity)));
        rays.push_back({angle,
                        *Response::make(axis, std::move(values), quantity, orbit.valid(), false),
                        false});
      }
      const bool horizontal = plane == Plane::kHorizontal;
      const auto with = Orbit::make(horizontal ? rays : std::vector<Orbit::Ray>{},
                                    horizontal ? std::vector<Orbit::Ray>{} : rays);
      if (with) from = separation_hz(*with, plane, degrees);
    }
    separation.put(std::to_string(degrees), from);
  }
  told.put("separation_hz", std::move(separation));
  const CircleIndex index = index_of(orbit, plane);
  if (index.index_db.empty())
    told.put("directivity_index_db", nullptr)
        .note(
            "directivity_index_db: the angles of this plane have gaps over 20° or end before 60°.");
  else
    told.put("directivity_index_db", Told::Value(index.index_db));
  if (!index.index_db.empty() && index.reaches_deg < 179.5)
    told.note(fmt::format("directivity_index_db is over the cap up to {:.0f}° that was taken.",
                          index.reaches_deg));
  Told rows;
  rows.put("angle_deg", Told::Value(map->degrees));
  rows.put("level_db", Told::Value(map->level_db));
  told.put("map", std::move(rows));
  std::vector<Told> narrow;
  for (const Narrowing& n : narrowings(axis, orbit.valid(), width)) {
    Told row;
    row.put("at_hz", n.at_hz)
        .put("low_hz", n.low_hz)
        .put("high_hz", n.high_hz)
        .put("beamwidth_deg", n.beamwidth_deg)
        .put("by_deg", n.by_deg);
    narrow.push_back(std::move(row));
  }
  told.put("narrowing", Told::Value(std::move(narrow)));
  const std::vector<double> asymmetry = asymmetry_db(orbit, plane);
  if (asymmetry.empty())
    told.put("asymmetry_db", nullptr).note("asymmetry_db: no angle was taken on both sides.");
  else
    told.put("asymmetry_db", Told::Value(asymmetry));
  told.put("extended_below_hz", m.extended_below_hz).put("valid_from_hz", m.valid_from_hz);
  return std::move(told.notes(m.notes).columns_every(16));
}

Told told_of(const OrbitMaterial& m, const EqualiseAdvice& a, double sample_rate_hz) {
  Told told;
  std::vector<Told> filters;
  for (const BandFilter& f : a.equalisation.filters) {
    const Biquad q = biquad_of(f, sample_rate_hz);
    Told row;
    row.put("type", word_of(f.kind))
        .put("frequency_hz", f.frequency_hz)
        .put("gain_db", f.gain_db)
        .put("q", f.q);
    row.put("b", Told::Value(std::vector<double>(q.b.begin(), q.b.end())));
    row.put("a", Told::Value(std::vector<double>(q.a.begin(), q.a.end())));
    filters.push_back(std::move(row));
  }
  told.put("filters", Told::Value(std::move(filters)));
  std::vector<Told> refused;
  for (const LeftAlone& one : a.refused) {
    Told row;
    row.put("low_hz", one.low_hz).put("high_hz", one.high_hz).put("reason", one.reason);
    refused.push_back(std::move(row));
  }
  told.put("refused", Told::Value(std::move(refused)));
  const FrequencyAxis& axis = m.orbit.axis();
  told.put("frequency_hz", Told::Value(std::vector<double>(axis.hz().begin(), axis.hz().end())));
  told.put("before_db", Told::Value(a.before_db));
  told.put("after_db", Told::Value(a.equalisation.after_db));
  told.put("target_db", Told::Value(a.target_db));
  told.put("deviation_before_db", a.equalisation.deviation_before_db)
      .put("deviation_after_db", a.equalisation.deviation_after_db)
      .put("from_hz", a.from_hz)
      .put("to_hz", a.to_hz)
      .put("sample_rate_hz", sample_rate_hz);
  return std::move(told.notes(a.notes).notes(m.notes).columns_every(16));
}

}  // namespace lalometer
