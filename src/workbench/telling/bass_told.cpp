#include "workbench/telling/bass_told.h"

#include <limits>

namespace lalometer {
namespace {

void put_levels(Told& told, const char* key, const std::optional<Response>& curve,
                const FrequencyAxis& axis) {
  if (!curve) {
    told.put(key, nullptr);
    return;
  }
  told.put_each(key, axis.size(), [&](std::size_t i) { return curve->level_db(i); });
}

void put_falls(Told& told, const std::optional<Estimate>& f3, const std::optional<Estimate>& f6,
               const std::optional<Estimate>& f10) {
  told.put("f3_hz", f3, 1.0).put("f6_hz", f6, 1.0).put("f10_hz", f10, 1.0);
}

}  // namespace

Told told_of(const NearFields& n) {
  const FrequencyAxis& axis = n.sum.axis();
  Told told;
  told.put_each("frequency_hz", axis.size(), [&](std::size_t i) { return axis[i]; });
  put_levels(told, "cone_db", n.cone, axis);
  put_levels(told, "port_db", n.port, axis);
  put_levels(told, "sum_db", n.sum, axis);
  put_levels(told, "half_space_db", n.half_space, axis);
  put_levels(told, "full_space_db", n.full_space, axis);
  put_levels(told, "noise_db", n.noise, axis);
  told.put("valid_from_hz", n.valid_from_hz);
  told.put("valid_to_hz", n.valid_to_hz);
  told.put_apart("fb_hz", n.fb_hz);
  if (n.least_movement_hz) told.put("least_movement_hz", *n.least_movement_hz);
  told.put_apart("f3_hz", n.f3_hz);
  told.put_apart("f6_hz", n.f6_hz);
  told.put_apart("f10_hz", n.f10_hz);
  std::vector<double> at;
  std::vector<Told> resonances;
  for (const StandingOut& one : n.port_resonances) {
    at.push_back(one.frequency_hz);
    Told row;
    row.put("frequency_hz", one.frequency_hz)
        .put("below_port_db", n.port_top ? n.port_top->level_db - one.level_db : 0.0)
        .put("prominence_db", one.prominence_db);
    resonances.push_back(std::move(row));
  }
  told.put("port_resonances_hz", Told::Value(std::move(at)));
  told.put("port_resonances", Told::Value(std::move(resonances)));
  told.put("drive_v", n.drive_v);
  if (!n.calibrated) told.note("Levels are relative: a take tells no sensitivity.");
  return std::move(told.notes(n.notes).columns_every(16));
}

void put_box(Told& told, const std::vector<ConeWave>& waves,
             const std::optional<MissingOutput>& missing) {
  std::vector<Told> rows;
  for (const ConeWave& wave : waves) {
    Told row;
    row.put("frequency_hz", wave.dip.frequency_hz).put("depth_db", -wave.dip.level_db);
    row.put("predicted",
            wave.predicted.empty() ? Told::Value(nullptr) : Told::Value(wave.predicted));
    row.put("predicted_hz",
            wave.predicted.empty() ? std::nullopt : std::optional(wave.predicted_hz));
    row.put("impedance_hz", wave.impedance_hz);
    rows.push_back(std::move(row));
  }
  told.put("cone_waves", Told::Value(std::move(rows)));
  told.put(
      "missing_output_db",
      missing ? std::optional(Estimate{missing->missing_db, missing->half_width_db}) : std::nullopt,
      1.0);
  if (!missing) {
    told.note(
        "missing_output_db: nothing tells what this box should play (parameters and sizes in full, "
        "or its impedance).");
  } else if (missing->missing_db > missing->half_width_db && missing->missing_db > 1.0) {
    told.note(fmt::format(
        "About the tuning {:.1f} dB are missing against {}: a leak or an overdamped port; near "
        "fields do not tell them apart. Close the port: what still moves air is the leak.",
        missing->missing_db, missing->basis));
  }
}

Told told_of(const JoinedResponse& j) {
  Told told;
  const FrequencyAxis& axis = j.curve.axis();
  told.put_each("frequency_hz", axis.size(), [&](std::size_t i) { return axis[i]; });
  put_levels(told, "level_db", j.curve, axis);
  told.put_each("phase_deg", axis.size(), [&](std::size_t i) {
    return j.curve.has_phase() ? j.curve.phase_deg(i) : std::numeric_limits<double>::quiet_NaN();
  });
  told.put("joined_at_hz", j.joined_at_hz)
      .put("level_offset_db", j.level_offset_db)
      .put("level_offset_uncertainty_db", j.offset_deviation_db)
      .put("mismatch_db", j.mismatch_db)
      .put("overlap_hz", Told::Value(std::vector<double>{j.overlap.low_hz, j.overlap.high_hz}))
      .put("valid_from_hz", j.valid_from_hz)
      .put("phase_misfit_deg", j.phase_misfit_deg);
  put_falls(told, j.f3_hz, j.f6_hz, j.f10_hz);
  if (!j.calibrated) told.note("Levels are relative: a take tells no sensitivity.");
  return std::move(told.notes(j.notes).columns_every(16));
}

}  // namespace lalometer
