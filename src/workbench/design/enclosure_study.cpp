#include "workbench/design/enclosure_study.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/open_baffle/thin_panel.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

double leak_of(const EnclosureWish& w) {
  return w.ql.value_or(w.loading == "sealed" ? 0.0 : 7.0);
}

OpenBaffle panel_of(const EnclosureWish& w) {
  return {.width_m = w.baffle_width_mm / 1e3,
          .height_m = w.baffle_height_mm / 1e3,
          .driver_x_m = (w.driver_x_mm > 0.0 ? w.driver_x_mm : 0.5 * w.baffle_width_mm) / 1e3,
          .driver_y_m = (w.driver_y_mm > 0.0 ? w.driver_y_mm : 0.5 * w.baffle_height_mm) / 1e3,
          .left_wing_m = w.wing_mm / 1e3,
          .right_wing_m = w.wing_mm / 1e3};
}

/// @param radius_m  of the driver; 0 where it is not told.
Result<BoxLoad> open_load(const EnclosureWish& w, double radius_m, EnclosureStudy& study) {
  if (!(w.baffle_width_mm > 0.0 && w.baffle_height_mm > 0.0))
    return bad_input("An open baffle needs --baffle-width-mm and --baffle-height-mm.");
  const OpenBaffle panel = panel_of(w);
  if (const auto checked = check(panel); !checked) return tl::unexpected(checked.error());
  study.dipole = solved_dipole(panel, radius_m, kSpeedOfSound20_m_s);
  if (w.wing_mm > 0.0) {
    study.cavity_hz =
        open_cavity_hz(panel.left_wing_m, panel.width_m * panel.height_m, kSpeedOfSound20_m_s);
  }
  return open_back_load(panel);
}

Result<BoxLoad> radiator_load(const EnclosureWish& w, BoxLoad load, EnclosureStudy& study) {
  if (!(w.radiator_sd_cm2 > 0.0 && w.radiator_mass_g > 0.0))
    return bad_input("A passive radiator needs --radiator-sd-cm2 and --radiator-mass-g.");
  const double mass = w.radiator_mass_g / 1e3;
  // Without a resonance of its own its suspension counts as soft: 10 Hz.
  const double omega = 2.0 * kPi * (w.radiator_fs_hz > 0.0 ? w.radiator_fs_hz : 10.0);
  load.kind = BoxLoad::Kind::kPassiveRadiator;
  load.radiator = PassiveRadiator{w.radiator_sd_cm2 / 1e4, mass, 1.0 / (omega * omega * mass),
                                  omega * mass / w.radiator_qms};
  load.tuning_hz = radiator_tuning_hz(load.volume_m3, *load.radiator);
  study.fb_hz = load.tuning_hz;
  study.radiator_notch_hz = load.radiator->fs_hz();
  return load;
}

Result<BoxLoad> ported_load(const EnclosureWish& w, BoxLoad load, EnclosureStudy& study) {
  PortGeometry port{.diameter_m = w.port_diameter_mm / 1e3,
                    .length_m = w.port_length_mm / 1e3,
                    .count = w.port_count,
                    .slot_height_m = w.slot_height_mm / 1e3,
                    .flare_radius_m = w.flare_mm / 1e3};
  if (w.port_diameter_mm > 0.0 && w.port_length_mm <= 0.0) {
    if (!(w.tuning_hz > 0.0))
      return bad_input(
          "A vented box needs --port-length-mm or --tuning-hz with its port's diameter.");
    const auto length = port_length_for(w.tuning_hz, load.volume_m3, port, kSpeedOfSound20_m_s);
    if (!length) return tl::unexpected(length.error());
    port.length_m = *length;
  }
  if (w.port_diameter_mm > 0.0) {
    load = vented_load(load.volume_m3, {port}, leak_of(w), w.qa, w.qp);
    study.port_length_m = port.length_m;
    study.port_resonance_hz = pipe_resonance_hz(port, kSpeedOfSound20_m_s);
    if (w.inner_depth_mm > 0.0) {
      if (const auto problem = clearance_problem(port, w.inner_depth_mm / 1e3))
        study.notes.push_back(*problem);
    }
  } else if (w.tuning_hz > 0.0) {
    load.kind = BoxLoad::Kind::kVented;
    load.tuning_hz = w.tuning_hz;
    study.notes.emplace_back("port_length_mm: needs --port-diameter-mm.");
  } else {
    return bad_input(
        "A vented box needs --tuning-hz or a port (--port-diameter-mm, --port-length-mm).");
  }
  study.fb_hz = load.tuning_hz;
  return load;
}

/// The box alone: tuning, port length, what does not fit.
Result<BoxLoad> load_of(const EnclosureWish& w, double radius_m, EnclosureStudy& study) {
  BoxLoad load;
  load.volume_m3 = w.volume_l / 1e3;
  load.ql = leak_of(w);
  load.qa = w.qa;
  load.qp = w.qp;
  if (w.loading == "large-baffle" || w.loading == "free-air") {
    load.kind = BoxLoad::Kind::kFreeAir;
    return load;
  }
  if (w.loading == "open-baffle") return open_load(w, radius_m, study);
  if (w.loading == "sealed") {
    load.kind = BoxLoad::Kind::kSealed;
    return load;
  }
  if (w.loading == "passive-radiator") return radiator_load(w, load, study);
  return ported_load(w, load, study);
}

/// Qtc of the model as it is solved: with what stands in series and with the box's losses, which
/// act on the part of the stiffness that is the box's (Small 1972, part I).
double closed_q(const DriverParameters& d, double rise, const BoxLoad& load, double series_ohm) {
  const double boxed = 1.0 - 1.0 / (rise * rise);  // alpha / (1 + alpha)
  double per_q = (1.0 / d.qms() + d.re_ohm / (d.qes() * (d.re_ohm + series_ohm))) / rise;
  if (load.ql > 0.0) per_q += boxed / load.ql;
  if (load.qa > 0.0) per_q += boxed / load.qa;
  return 1.0 / per_q;
}

EnclosureStudy::Driven driven(const EnclosureWish& w, const EnclosedDriver& in, BoxLoad load,
                              std::vector<std::string>& notes) {
  const double rise = std::sqrt(1.0 + in.driver.vas_m3() / load.volume_m3);
  // Losses of a closed box are counted at its own resonance.
  if (load.kind == BoxLoad::Kind::kSealed && load.tuning_hz <= 0.0)
    load.tuning_hz = in.driver.fs_hz() * rise;
  const std::optional<OpenBaffle> panel =
      load.kind == BoxLoad::Kind::kOpenBack ? std::optional(panel_of(w)) : std::nullopt;
  const EnclosureDesign design{.driver = in.driver,
                               .load = load,
                               .port_area_m2 = load.pipe && !panel ? load.pipe->area_m2 : 0.0,
                               .series_ohm = w.series_ohm,
                               .drive_v = w.drive_v,
                               .panel = panel};
  const double reference = reference_level_db(design);
  EnclosureStudy::Driven out{
      .reference_level_db = reference,
      .f3_hz = {},
      .f6_hz = {},
      .f10_hz = {},
      .fc_hz = {},
      .qtc = {},
      .curves = solve_enclosure(design, FrequencyAxis::logarithmic(5.0, 5000.0, 48.0)),
      .highest_level_db = {},
      .with_radiator = load.radiator.has_value()};
  for (const auto& [key, limit, below] : {std::tuple{"f3_hz", &out.f3_hz, 3.0},
                                          {"f6_hz", &out.f6_hz, 6.0},
                                          {"f10_hz", &out.f10_hz, 10.0}}) {
    *limit = lower_limit_hz(out.curves, reference, below);
    if (!*limit) notes.push_back(fmt::format("{}: not within 5 Hz to 500 Hz.", key));
  }
  if (load.kind == BoxLoad::Kind::kSealed) {
    out.fc_hz = in.driver.fs_hz() * rise;
    out.qtc = closed_q(in.driver, rise, load, w.series_ohm);
  }
  if (in.xmax_m && in.power_w) {
    out.highest_level_db =
        highest_level(design, out.curves, {.xmax_m = *in.xmax_m, .power_w = *in.power_w}).level_db;
  }
  const std::vector<double>& speed = out.curves.port_speed_m_s;
  const auto fastest = std::max_element(speed.begin(), speed.end());
  if (*fastest > kUsualPortSpeed_m_s) {
    notes.push_back(fmt::format(
        "The air in the port reaches {:.0f} m/s at {}; {:.0f} m/s is a usual limit.", *fastest,
        frequency_text(out.curves.axis[static_cast<std::size_t>(fastest - speed.begin())]),
        kUsualPortSpeed_m_s));
  }
  return out;
}

}  // namespace

Result<EnclosureStudy> study_enclosure(const EnclosureWish& wish,
                                       const std::optional<EnclosedDriver>& driver) {
  EnclosureStudy study;
  study.loading = wish.loading;
  if (wish.volume_l > 0.0) study.volume_l = wish.volume_l;
  const double radius_m = driver ? std::sqrt(driver->driver.sd_m2 / kPi) : 0.0;
  const auto load = load_of(wish, radius_m, study);
  if (!load) return tl::unexpected(load.error());
  if (driver)
    study.driven = driven(wish, *driver, *load, study.notes);
  else
    study.notes.emplace_back("f3_hz and all curves: need the driver (--driver-json).");
  return study;
}

}  // namespace lalometer
