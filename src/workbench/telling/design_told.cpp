#include "workbench/telling/design_told.h"

#include <cmath>

#include "base/constants.h"

namespace lalometer {
namespace {

Told told_of(const BestPosition& best) {
  Told told;
  told.put("x_mm", best.x_m * 1e3).put("y_mm", best.y_m * 1e3);
  told.put("ripple_db", best.ripple_db).put("ripple_here_db", best.ripple_here_db);
  return std::move(told.put("low_hz", best.low_hz).put("high_hz", best.high_hz));
}

void tell_driven(Told& told, const EnclosureStudy::Driven& d) {
  told.put("reference_level_db", d.reference_level_db);
  told.put("f3_hz", d.f3_hz).put("f6_hz", d.f6_hz).put("f10_hz", d.f10_hz);
  if (d.fc_hz) told.put("fc_hz", d.fc_hz).put("qtc", d.qtc);
  const EnclosureCurves& c = d.curves;
  const std::size_t n = c.axis.size();
  told.put_each("frequency_hz", n, [&](std::size_t i) { return c.axis[i]; });
  told.put_each("response_db", n, [&](std::size_t i) {
    return 20.0 * std::log10(std::abs(c.pressure_pa[i]) / kReferencePressure_pa);
  });
  told.put_each("response_phase_deg", n,
                [&](std::size_t i) { return std::arg(c.pressure_pa[i]) * 180.0 / kPi; });
  told.put_each("excursion_mm", n, [&](std::size_t i) { return c.excursion_m[i] * 1e3; });
  told.put_each("impedance_ohm", n, [&](std::size_t i) { return std::abs(c.impedance_ohm[i]); });
  told.put_each("impedance_phase_deg", n,
                [&](std::size_t i) { return std::arg(c.impedance_ohm[i]) * 180.0 / kPi; });
  told.put_each("port_velocity_m_s", n, [&](std::size_t i) { return c.port_speed_m_s[i]; });
  told.put_each("group_delay_ms", n, [&](std::size_t i) { return c.group_delay_s[i] * 1e3; });
  if (d.with_radiator) {
    told.put_each("radiator_excursion_mm", n,
                  [&](std::size_t i) { return c.radiator_excursion_m[i] * 1e3; });
  }
  if (!d.highest_level_db.empty()) told.put("highest_level_db", Told::Value(d.highest_level_db));
}

}  // namespace

Told told_of(const DiffractionPrediction& p, const BestPosition* best) {
  Told told;
  told.put("driver", p.driver).put("distance_m", p.distance_m);
  told.put("frequency_hz", Told::Value(p.frequency_hz)).put("level_db", Told::Value(p.level_db));
  std::vector<Told> edges;
  for (const EdgeRule& edge : p.edges) {
    edges.emplace_back()
        .put("name", edge.name)
        .put("distance_mm", edge.distance_m * 1e3)
        .put("first_dip_hz", edge.first_dip_hz)
        .put("first_peak_hz", edge.first_peak_hz);
  }
  told.put("edges", std::move(edges));
  told.put("baffle_step_hz", p.step_rule_hz).put("half_step_hz", p.half_step_hz);
  told.columns_every(8).notes(p.notes);
  if (best == nullptr) return told;
  told.put("best_position", told_of(*best));
  // Every place that was tried, row by row upward; null where another part is.
  Told map;
  map.put_each("x_mm", best->tried_x_m.size(),
               [&](std::size_t i) { return best->tried_x_m[i] * 1e3; });
  map.put_each("y_mm", best->tried_y_m.size(),
               [&](std::size_t i) { return best->tried_y_m[i] * 1e3; });
  map.put("ripple_db", Told::Value(best->ripple_map_db));
  return std::move(told.put("position_map", std::move(map)));
}

Told told_of(const EnclosureStudy& s) {
  Told told;
  told.put("loading", s.loading).put("volume_l", s.volume_l);
  told.put("fb_hz", s.fb_hz);
  told.put("port_length_mm",
           s.port_length_m ? std::optional(*s.port_length_m * 1e3) : std::nullopt);
  if (s.port_resonance_hz) told.put("port_resonance_hz", s.port_resonance_hz);
  if (s.radiator_notch_hz) told.put("radiator_notch_hz", s.radiator_notch_hz);
  if (s.dipole) {
    told.put("dipole_path_mm", s.dipole->path_m * 1e3);
    told.put("dipole_peak_hz", s.dipole->peak_hz);
    told.put("dipole_null_hz", s.dipole->null_hz);
  }
  if (s.cavity_hz) told.put("cavity_hz", s.cavity_hz);
  if (s.driven)
    tell_driven(told, *s.driven);
  else
    told.put("f3_hz", nullptr);
  return std::move(told.notes(s.notes));
}

}  // namespace lalometer
