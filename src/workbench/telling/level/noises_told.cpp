#include "workbench/telling/level/noises_told.h"

#include <cmath>
#include <limits>

#include "base/constants.h"

namespace lalometer {
namespace {

constexpr double kNaN = std::numeric_limits<double>::quiet_NaN();

double percent(double share) {
  return std::isfinite(share) ? 100.0 * share : kNaN;
}

}  // namespace

Told told_of(const RubReading& reading) {
  const Residue& r = reading.residue;
  Told told;
  told.put("frequency_hz", Told::Value(r.frequency_hz));
  told.put("residue_db", Told::Value(reading.share_db()));
  told.put("noise_db", Told::Value(reading.noise_db()));
  told.put_each("crest_db", r.frequency_hz.size(),
                [&](std::size_t i) { return r.heard(i) ? r.crest_db[i] : kNaN; });
  told.put("noise_crest_db", Told::Value(r.noise_crest_db));
  told.put_each("repeats", r.frequency_hz.size(),
                [&](std::size_t i) { return r.heard(i) ? r.repeats[i] : kNaN; });
  told.put("drive_v", reading.drive_v);
  told.note("All above 10.5 times the sweep's frequency, re the sweep.");
  return std::move(told.notes(reading.notes).notes(spoken(reading)));
}

Told told_of(const ResidueChange& change, const std::string& good) {
  Told told;
  told.put("good", good);
  told.put("frequency_hz", Told::Value(change.frequency_hz));
  told.put("more_db", Told::Value(change.more_db));
  std::vector<Told> rows;
  for (const ResidueChange::Worse& w : change.worse)
    rows.push_back(Told()
                       .put("low_hz", w.low_hz)
                       .put("high_hz", w.high_hz)
                       .put("most_db", w.most_db)
                       .put("at_hz", w.at_hz)
                       .put("in_peaks", w.in_peaks));
  told.put("worse", Told::Value(std::move(rows)));
  return std::move(told.notes(spoken(change, good)));
}

Told told_of(const AirNoise& noise) {
  std::vector<Told> rows;
  for (const AirNoisePoint& p : noise.points)
    rows.push_back(
        Told()
            .put("drive_v", p.drive_v)
            .put("frequency_hz", p.frequency_hz)
            .put("speed_m_s", p.speed_m_s)
            .put("noise_db", p.heard()
                                 ? std::optional(to_level_db(p.noise_pa, kReferencePressure_pa))
                                 : std::nullopt)
            .put("background_db",
                 p.background_pa > 0.0
                     ? std::optional(to_level_db(p.background_pa, kReferencePressure_pa))
                     : std::nullopt)
            .put("under_port_db", p.heard() ? std::optional(p.under_db()) : std::nullopt));
  Told told;
  told.put("points", Told::Value(std::move(rows)));
  told.put("heard_from_m_s", noise.heard_from_m_s).put("grows_with_power", noise.power);
  told.note("Peak speed in the mouth by its near field (Keele 1974).");
  return std::move(told.notes(spoken(noise)));
}

Told told_of(const PartsReading& r) {
  Told told;
  told.put("drive_v", r.drive_v);
  told.put_each("frequency_hz", r.axis.size(), [&](std::size_t i) { return r.axis[i]; });
  std::vector<Told> rows;
  for (std::size_t k = 0; k < r.parts.size(); ++k) {
    Told row;
    row.put("source", r.parts[k].source).put("radius_mm", r.parts[k].radius_m * 1e3);
    for (std::size_t order = 0; order < r.share[k].size(); ++order)
      row.put_each(
          order == 0 ? "fundamental_percent" : "h" + std::to_string(order + 1) + "_percent",
          r.axis.size(), [&](std::size_t i) { return percent(r.share[k][order][i]); });
    rows.push_back(std::move(row));
  }
  told.put("parts", Told::Value(std::move(rows)));
  if (r.port_leads)
    told.put("port_leads_hz",
             Told::Value(std::vector<double>{r.port_leads->low_hz, r.port_leads->high_hz}));
  else
    told.put("port_leads_hz", nullptr);
  std::vector<Told> culprits;
  for (const PartsReading::Culprit& c : r.culprits)
    culprits.push_back(Told()
                           .put("low_hz", c.low_hz)
                           .put("high_hz", c.high_hz)
                           .put("thd_percent", c.percent)
                           .put("most_by", r.parts[c.part].source)
                           .put("cone_percent", c.of_cone_percent)
                           .put("port_percent", c.of_port_percent));
  told.put("over_3_percent", Told::Value(std::move(culprits)));
  return std::move(told.notes(r.notes).notes(spoken(r)));
}

Told told_of(const MultitoneChange& c, const std::string& first, const std::string& second) {
  Told told;
  told.put("whole", c.second_is_part ? first : second);
  told.put("part", c.second_is_part ? second : first);
  told.put("left_out_hz", Told::Value(std::vector<double>{c.left_out_low_hz, c.left_out_high_hz}));
  told.put("band_hz", Told::Value(c.band_hz));
  told.put("rest_db", Told::Value(c.rest_db));
  told.put("mean_db", c.mean_db).put("most_db", c.most_db);
  told.put("most_at_hz", c.most_at_hz > 0.0 ? std::optional(c.most_at_hz) : std::nullopt);
  told.put("tones_db", c.tones_db);
  told.put("modulation_db",
           std::isfinite(c.modulation_db) ? std::optional(c.modulation_db) : std::nullopt);
  told.put("modulation_share", c.modulation_share);
  return std::move(told.notes(spoken(c)));
}

Told told_of(const SteadyCheck& c) {
  Told told;
  told.put("fundamental_rms_db", c.fundamental_db).put("harmonics_rms_db", c.harmonics_db);
  told.put("most_db", c.worst_db).put("most_at_hz", c.worst_at_hz).put("tones", c.points);
  return std::move(told.note(spoken(c)));
}

}  // namespace lalometer
