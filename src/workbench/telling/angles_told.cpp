#include "workbench/telling/angles_told.h"

#include <algorithm>
#include <cmath>

#include "base/text.h"

namespace lalometer {

Told told_of(const CrossoverWindow& w) {
  Told row;
  row.put("low", w.low).put("high", w.high).put("from_hz", w.from_hz).put("to_hz", w.to_hz);
  std::vector<Told> limits;
  for (const CrossoverWindow::Limit& limit : w.limits) {
    Told one;
    one.put("what", limit.what).put("frequency_hz", limit.frequency_hz);
    limits.push_back(std::move(one));
  }
  row.put("limits", Told::Value(std::move(limits)));
  return row;
}
namespace {

void put_average(Told& told, const char* key, const SpatialAverage& average) {
  if (average.empty())
    told.put(key, nullptr);
  else
    told.put(key, Told::Value(average));
}

std::vector<double> degrees_of(const std::vector<Orbit::Ray>& rays) {
  std::vector<double> all;
  for (const Orbit::Ray& ray : rays) all.push_back(ray.degrees);
  return all;
}

void tell_more(Told& told, const AngleReading& r) {
  std::vector<std::string> features;
  for (const IndexFeature& f : r.features) features.push_back(spoken(f) + ".");
  told.put("index_features", Told::Value(std::move(features)));
  std::vector<Told> changes;
  for (const RatingChange& c : r.rating_changes) {
    Told row;
    row.put("what", c.what).put("by", c.by);
    changes.push_back(std::move(row));
  }
  told.put("rating_changes", Told::Value(std::move(changes)));
  std::vector<Told> lobes;
  for (const LobeReading& l : r.lobes) {
    Told row;
    row.put("low", l.low).put("high", l.high).put("crossover_hz", l.crossover_hz);
    row.put("plane", l.plane == Plane::kVertical ? "vertical" : "horizontal");
    row.put("tilt_deg", l.tilt_deg ? Told::Value(*l.tilt_deg) : Told::Value(nullptr));
    row.put("null_plus_deg", l.null_plus_deg).put("null_minus_deg", l.null_minus_deg);
    row.put("expected_tilt_deg", l.expected_tilt_deg).put("off_sum_db", l.off_sum_db);
    lobes.push_back(std::move(row));
    told.notes(l.notes);
  }
  told.put("lobes", Told::Value(std::move(lobes)));
  std::vector<Told> windows;
  for (const CrossoverWindow& w : r.windows) {
    windows.push_back(told_of(w));
  }
  told.put("crossover_windows", Told::Value(std::move(windows)));
  if (r.aim) {
    Told aim;
    aim.put("horizontal_deg", r.aim->best.horizontal_deg)
        .put("vertical_deg", r.aim->best.vertical_deg)
        .put("roughness_db", r.aim->best.roughness_db)
        .put("roughness_here_db", r.aim->here.roughness_db)
        .put("uncertainty_db", r.aim->uncertainty_db)
        .put("real", r.aim->real());
    told.put("best_axis", std::move(aim));
  } else {
    told.put("best_axis", nullptr);
  }
  told.notes(r.notes);
}

}  // namespace

Told told_of(const AngleReading& reading) {
  const OrbitMaterial& m = *reading.material;
  const SpinReading& r = reading.spin;
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
  told.put_apart("sensitivity_db", r.sensitivity_db);
  told.put_apart("f3_hz", r.f3_hz);
  told.put_apart("f6_hz", r.f6_hz);
  told.put_apart("f10_hz", r.f10_hz);
  told.put_apart("deviation_db", r.deviation_db);
  told.put_apart("predicted_in_room_slope_db_per_octave", r.slope_db_per_octave);
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
  tell_more(told, reading);
  return std::move(told.notes(r.notes).notes(m.notes).columns_every(16));
}

Told told_of(const OrbitMaterial& m, const CircleReading& r) {
  Told told;
  const FrequencyAxis& axis = m.orbit.axis();
  told.put("frequency_hz", Told::Value(std::vector<double>(axis.hz().begin(), axis.hz().end())));
  if (!r.map) {
    for (const char* key : {"beamwidth_deg", "coverage_from_hz", "separation_hz",
                            "directivity_index_db", "map", "narrowing", "asymmetry_db"})
      told.put(key, nullptr);
    return std::move(told.notes(r.notes).notes(m.notes));
  }
  told.put("beamwidth_deg", Told::Value(r.beamwidth_deg));
  if (r.expected_deg.empty())
    told.put("expected_beamwidth_deg", nullptr);
  else
    told.put("expected_beamwidth_deg", Told::Value(r.expected_deg));
  told.put("coverage_from_hz", r.coverage ? std::optional(r.coverage->from_hz) : std::nullopt);
  told.put("coverage_to_hz", r.coverage ? std::optional(r.coverage->to_hz) : std::nullopt);
  told.put("coverage_deg", r.coverage ? std::optional(r.coverage->degrees) : std::nullopt);
  Told separation;
  for (const auto& [degrees, from] : r.separation_hz)
    separation.put(fmt::format("{:.0f}", degrees), from);
  told.put("separation_hz", std::move(separation));
  if (r.index.index_db.empty())
    told.put("directivity_index_db", nullptr)
        .note(
            "directivity_index_db: the angles of this plane have gaps over 20° or end before 60°.");
  else
    told.put("directivity_index_db", Told::Value(r.index.index_db));
  if (!r.index.index_db.empty() && r.index.reaches_deg < 179.5)
    told.note(fmt::format("directivity_index_db is over the cap up to {:.0f}° that was taken.",
                          r.index.reaches_deg));
  Told rows;
  rows.put("angle_deg", Told::Value(r.map->degrees));
  rows.put("level_db", Told::Value(r.map->level_db));
  told.put("map", std::move(rows));
  std::vector<Told> narrow;
  std::vector<Told> wide;
  for (const BeamChange& change : r.changes) {
    const Narrowing& n = change.where;
    Told row;
    row.put("at_hz", n.at_hz)
        .put("low_hz", n.low_hz)
        .put("high_hz", n.high_hz)
        .put("beamwidth_deg", n.beamwidth_deg)
        .put("by_deg", n.by_deg);
    std::vector<std::string> causes;
    for (const BeamChange::Cause& cause : change.causes)
      causes.push_back(fmt::format("{}: {}", word_of(cause.cause), cause.reason));
    row.put("causes", Told::Value(std::move(causes)));
    (change.wider ? wide : narrow).push_back(std::move(row));
  }
  told.put("narrowing", Told::Value(std::move(narrow)));
  told.put("widening", Told::Value(std::move(wide)));
  std::vector<Told> deviations;
  for (const AngleDeviation& d : r.deviations) {
    Told row;
    row.put("angle_deg", d.degrees)
        .put("mean_db", d.mean_db)
        .put("worst_db", d.worst_db)
        .put("worst_at_hz", d.worst_at_hz);
    deviations.push_back(std::move(row));
  }
  told.put("deviation", Told::Value(std::move(deviations)));
  told.put("deviation_from_hz", r.deviations_over.low_hz)
      .put("deviation_to_hz", r.deviations_over.high_hz);
  if (r.asymmetry_db.empty())
    told.put("asymmetry_db", nullptr).note("asymmetry_db: no angle was taken on both sides.");
  else
    told.put("asymmetry_db", Told::Value(r.asymmetry_db));
  told.put("extended_below_hz", m.extended_below_hz).put("valid_from_hz", m.valid_from_hz);
  return std::move(told.notes(r.notes).notes(m.notes).columns_every(16));
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
      .put("sample_rate_hz", sample_rate_hz)
      .put("headroom_db", a.headroom_db);
  std::vector<Told> effects;
  for (const EqualiseEffect& effect : a.effects) {
    Told row;
    row.put("what", effect.what)
        .put("before_db", effect.before_db)
        .put("after_db", effect.after_db);
    effects.push_back(std::move(row));
  }
  told.put("effects", Told::Value(std::move(effects)));
  return std::move(told.notes(a.notes).notes(m.notes).columns_every(16));
}

}  // namespace lalometer
