#include "workbench/telling/level/level_told.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

constexpr double kNaN = std::numeric_limits<double>::quiet_NaN();

double reference_of(bool calibrated) {
  return calibrated ? kReferencePressure_pa : 1.0;
}

void put_thresholds(Told& told, const DistortionReading& r) {
  Told thresholds;
  const auto put = [&](const char* key, const Threshold& t) {
    thresholds.put(key, t.frequency_hz ? std::optional(t.frequency_hz->value) : std::nullopt);
  };
  put("3", r.three_percent);
  put("10", r.ten_percent);
  told.put("thresholds", std::move(thresholds));
  Told widths;
  for (const auto& [key, t] : {std::pair("3", &r.three_percent), std::pair("10", &r.ten_percent)})
    widths.put(key, t->frequency_hz ? std::optional(t->frequency_hz->half_width) : std::nullopt);
  told.put("thresholds_uncertainty_hz", std::move(widths));
}

void put_orders(Told& told, const DistortionReading& r) {
  const Harmonics& h = r.harmonics;
  const std::size_t n = h.axis.size();
  const double reference = reference_of(r.calibrated);
  told.put_each("frequency_hz", n, [&](std::size_t i) { return h.axis[i]; });
  told.put_each("fundamental_db", n, [&](std::size_t i) {
    const Harmonic& f = h.order(1);
    return f.valid.contains(h.axis[i]) ? to_level_db(std::abs(f.value[i]), reference) : kNaN;
  });
  for (int order = 2; order <= 5; ++order)
    told.put_each(fmt::format("h{}_db", order), n, [&](std::size_t i) {
      const Harmonic& one = h.order(order);
      return one.heard(i, h.axis[i]) ? to_level_db(std::abs(one.value[i]), reference) : kNaN;
    });
  told.put_each("thd_percent", n, [&](std::size_t i) {
    return h.thd[i].known && h.thd[i].ratio > 0.0 ? 100.0 * h.thd[i].ratio : kNaN;
  });
}

}  // namespace

Told told_of(const DistortionReading& r) {
  Told told;
  const Harmonics& h = r.harmonics;
  const std::size_t n = h.axis.size();
  const double reference = reference_of(r.calibrated);
  put_orders(told, r);
  told.put_each("thd_at_most_percent", n,
                [&](std::size_t i) { return h.thd[i].known ? 100.0 * h.thd[i].at_most : kNaN; });
  // Of the orders that can be told here, the one that noise hides most.
  told.put_each("noise_floor_db", n, [&](std::size_t i) {
    double highest = -1.0;
    for (int order = 2; order <= 5; ++order)
      if (h.order(order).valid.contains(h.axis[i]))
        highest = std::max(highest, h.order(order).floor[i]);
    return highest >= 0.0 ? to_level_db(highest, reference) : kNaN;
  });
  // Orders 6 to 10 together: rub and buzz.
  told.put_each("high_orders_db", n, [&](std::size_t i) {
    double power = 0.0;
    for (int order = 6; order <= kHighestOrder; ++order)
      if (h.order(order).heard(i, h.axis[i])) power += std::norm(h.order(order).value[i]);
    return power > 0.0 ? to_level_db(std::sqrt(power), reference) : kNaN;
  });
  for (int order = 2; order <= 5; ++order)
    told.put_each(fmt::format("h{}_phase_deg", order), n, [&](std::size_t i) {
      const Harmonic& one = h.order(order);
      if (!one.heard(i, h.axis[i])) return kNaN;
      const double turn = std::arg(one.value[i]) - order * std::arg(h.order(1).value[i]);
      return std::remainder(turn, 2.0 * kPi) * 180.0 / kPi;
    });
  put_thresholds(told, r);
  told.put("drive_v", r.drive_v).put("spl_db", r.spl_db);
  if (!r.calibrated) told.note("Levels are relative: the take tells no sensitivity.");
  return std::move(told.notes(r.notes).columns_every(12));
}

void put_levels(Told& told, const LevelsReading& levels) {
  std::vector<Told> rows;
  for (std::size_t k = 0; k < levels.steps.size(); ++k) {
    const DistortionReading& r = *levels.steps[k];
    Told row;
    row.put("drive_v", r.drive_v).put("spl_db", r.spl_db);
    put_orders(row, r);
    put_thresholds(row, r);
    const Harmonics& low = levels.steps.front()->harmonics;
    const FrequencyAxis& own = r.harmonics.axis;
    const Compression& lost = levels.compression[k];
    const auto on_own = [&](const std::vector<double>& values) {
      return [&, told = intersect(low.order(1).valid, r.harmonics.order(1).valid)](std::size_t i) {
        return told.contains(own[i]) ? value_between(low.axis, values, own[i]) : kNaN;
      };
    };
    row.put_each("compression_db", own.size(), on_own(lost.level_db));
    row.put_each("compression_uncertainty_db", own.size(), on_own(lost.half_width));
    rows.push_back(std::move(row));
  }
  told.put("levels", Told::Value(std::move(rows)));
  std::vector<Told> clean;
  const double reference = reference_of(levels.steps.front()->calibrated);
  for (const CleanLevel& c : levels.clean)
    clean.push_back(Told()
                        .put("frequency_hz", c.frequency_hz)
                        .put("level_db", to_level_db(c.level, reference))
                        .put("at_least", c.at_least));
  told.put("clean_levels", Told::Value(std::move(clean)));
  std::vector<Told> growth;
  for (const Growth& g : levels.growth)
    growth.push_back(Told()
                         .put("order", g.order)
                         .put("frequency_hz", g.frequency_hz)
                         .put("db_per_db", g.db_per_db)
                         .put("jumps_at_v", g.jump_at
                                                ? std::optional(levels.steps[*g.jump_at]->drive_v)
                                                : std::nullopt));
  told.put("growth", Told::Value(std::move(growth)));
  told.put("last_good_drive_v", levels.last_good
                                    ? std::optional(levels.steps[*levels.last_good]->drive_v)
                                    : std::nullopt);
  told.put("drift_db", levels.drift_db, 1.0);
  told.notes(levels.notes);
  told.notes(spoken(levels));
}

Told told_of(const MultitoneStudy& s) {
  const MultitoneReading& r = s.reading;
  Told m;
  m.put("tones_hz", Told::Value(r.tones_hz));
  m.put_each("tone_db", r.tone.size(), [&](std::size_t i) { return s.level_db(r.tone[i]); });
  m.put("band_hz", Told::Value(r.band_hz));
  m.put_each("floor_db", r.rest.size(), [&](std::size_t i) {
    return std::isfinite(r.rest[i]) ? s.level_db(r.rest[i]) : kNaN;
  });
  const double range = r.range_db();
  m.put("range_db", std::isfinite(range) ? std::optional(range) : std::nullopt);
  m.put("spl_db", s.unit_pa > 0.0 ? std::optional(s.tones_db()) : std::nullopt);
  return std::move(m.notes(s.notes).notes(spoken(s)));
}

Told told_of(const DecayReading& r) {
  Told told;
  const DecayMap& m = r.map;
  told.put_each("frequency_hz", m.axis.size(), [&](std::size_t i) { return m.axis[i]; });
  told.put_each(m.in_periods() ? "cycles" : "time_ms", m.time.size(),
                [&](std::size_t k) { return m.in_periods() ? m.time[k] : m.time[k] * 1e3; });
  told.put("level_db", Told::Value(m.level_db));
  told.put("resolved_from_hz", Told::Value(m.resolved_from_hz));
  std::vector<Told> rows;
  for (const Ridge& ridge : r.ridges)
    rows.push_back(Told()
                       .put("frequency_hz", ridge.frequency_hz.value)
                       .put("decay_ms", ridge.decay_s.value * 1e3)
                       .put("decay_cycles", ridge.decay_periods())
                       .put("q", ridge.q())
                       .put("level_db", ridge.level_db)
                       .put("re_response_db", ridge.share_db)
                       .put("frequency_uncertainty_hz", ridge.frequency_hz.half_width)
                       .put("decay_uncertainty_ms", ridge.decay_s.half_width * 1e3));
  told.put("ridges", Told::Value(std::move(rows)));
  told.put("length_ms", m.length_s * 1e3);
  if (m.rise_s > 0.0) told.put("rise_ms", m.rise_s * 1e3);
  if (m.burst_periods > 0.0) told.put("burst_cycles", m.burst_periods);
  told.notes(r.notes);
  switch (m.kind) {
    case DecayMap::Kind::kCumulative:
      told.note("Apodised cumulative decay (Bunton and Small 1982); ridges by a matrix pencil.");
      break;
    case DecayMap::Kind::kBurst:
    case DecayMap::Kind::kBass:
      told.note("Shaped tone bursts (after Linkwitz 1980); ridges by a matrix pencil.");
      break;
  }
  return told;
}

}  // namespace lalometer
