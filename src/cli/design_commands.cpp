#include "cli/design_commands.h"

#include <CLI/CLI.hpp>
#include <cmath>
#include <filesystem>
#include <memory>

#include "acoustics/enclosure/enclosure_model.h"
#include "base/constants.h"
#include "base/json_text.h"
#include "base/text.h"
#include "cli/option_checks.h"
#include "cli/output.h"
#include "exchange/set/driver_file.h"
#include "exchange/set/measurement_set.h"
#include "workbench/design/baffle_prediction.h"

namespace lalometer {
namespace {

using Json = OrderedJson;

struct DiffractionOptions {
  std::string path;
  std::string driver;
  double distance_m = 0.0;
  bool try_positions = false;
};

int diffraction_command(const Doors& doors, const DiffractionOptions& o) {
  const ImportPreview source = read_source(o.path, {}, doors.choice);
  if (!source.subject) {
    return refuse(doors,
                  source.problems.empty()
                      ? Error{ErrorCode::kBadInput,
                              "Not a measurement set or a book: diffraction needs one.", o.path}
                      : source.problems.front());
  }
  const auto geometry = geometry_of(source.subject->description, o.path);
  if (!geometry) return refuse(doors, geometry.error());
  double distance_m = o.distance_m;
  for (const ImportItem& take : source.items) {
    const Placement place = place_of(take.take);
    if (distance_m <= 0.0 && take.take.kind() == TakeKind::kResponse &&
        place.horizontal_deg == 0.0 && place.vertical_deg == 0.0)
      distance_m = place.distance_m;
  }
  const auto prediction =
      predict_diffraction(*geometry, o.driver, distance_m > 0.0 ? distance_m : 1.0,
                          FrequencyAxis::logarithmic(20.0, 20000.0, 24.0));
  if (!prediction) {
    Error error = prediction.error();
    if (error.where.empty()) error.where = o.path;
    return refuse(doors, error);
  }
  Json json{{"driver", prediction->driver},
            {"distance_m", prediction->distance_m},
            {"frequency_hz", prediction->frequency_hz},
            {"level_db", prediction->level_db},
            {"edges", Json::array()},
            {"baffle_step_hz", prediction->step_rule_hz},
            {"half_step_hz", prediction->half_step_hz ? Json(*prediction->half_step_hz) : Json()},
            {"notes", prediction->notes}};
  if (o.try_positions) {
    const auto best = best_position(*geometry, o.driver, {}, terminal_progress("trying positions"));
    if (!best) return refuse(doors, best.error());
    json["best_position"] = {
        {"x_mm", best->x_m * 1e3},      {"y_mm", best->y_m * 1e3},
        {"ripple_db", best->ripple_db}, {"ripple_here_db", best->ripple_here_db},
        {"low_hz", best->low_hz},       {"high_hz", best->high_hz}};
    // Every place that was tried, row by row upward; null where another part is.
    Json map{{"x_mm", Json::array()}, {"y_mm", Json::array()}, {"ripple_db", Json::array()}};
    for (const double x : best->tried_x_m) map["x_mm"].push_back(x * 1e3);
    for (const double y : best->tried_y_m) map["y_mm"].push_back(y * 1e3);
    for (const double ripple : best->ripple_map_db)
      map["ripple_db"].push_back(std::isfinite(ripple) ? Json(ripple) : Json());
    json["position_map"] = std::move(map);
  }
  for (const EdgeRule& edge : prediction->edges) {
    json["edges"].push_back({{"name", edge.name},
                             {"distance_mm", edge.distance_m * 1e3},
                             {"first_dip_hz", edge.first_dip_hz},
                             {"first_peak_hz", edge.first_peak_hz}});
  }
  if (doors.json) {
    doors.out << dumped(json) << '\n';
    return kDone;
  }
  doors.out << fmt::format("{} at {} m, level re an infinite baffle\n", prediction->driver,
                           three_digits(prediction->distance_m));
  for (std::size_t i = 0; i < prediction->frequency_hz.size(); i += 8) {
    doors.out << fmt::format("{:>10.0f} Hz {:>8.2f} dB\n", prediction->frequency_hz[i],
                             prediction->level_db[i]);
  }
  for (const EdgeRule& edge : prediction->edges) {
    doors.out << fmt::format("{:<7} {:>6.1f} mm  first peak {}, first dip {}\n", edge.name,
                             edge.distance_m * 1e3, frequency_text(edge.first_peak_hz),
                             frequency_text(edge.first_dip_hz));
  }
  doors.out << fmt::format("baffle step {}\n", frequency_text(prediction->step_rule_hz));
  if (o.try_positions) {
    const Json& best = json["best_position"];
    doors.out << fmt::format(
        "least ripple at x {:.0f} mm, y {:.0f} mm: {:.2f} dB rms, here {:.2f} dB\n",
        best["x_mm"].get<double>(), best["y_mm"].get<double>(), best["ripple_db"].get<double>(),
        best["ripple_here_db"].get<double>());
  }
  for (const std::string& note : prediction->notes) doors.out << "note: " << note << '\n';
  return kDone;
}

struct EnclosureOptions {
  double volume_l = 0.0;
  std::string loading = "vented";
  std::string driver_file;
  double tuning_hz = 0.0;
  std::string lowest_note;
  double port_diameter_mm = 0.0;
  double port_length_mm = 0.0;
  double slot_height_mm = 0.0;
  double flare_mm = 0.0;
  int port_count = 1;
  double ql = 7.0;
  double qa = 0.0;
  double qp = 0.0;
  double drive_v = 2.83;
  double series_ohm = 0.0;
  double radiator_sd_cm2 = 0.0;
  double radiator_mass_g = 0.0;
  double radiator_fs_hz = 0.0;
  double radiator_qms = 8.0;
  double inner_depth_mm = 0.0;
  double baffle_width_mm = 0.0;  ///< of an open baffle
  double baffle_height_mm = 0.0;
  double driver_x_mm = 0.0;  ///< from its left and lower edge; 0: the middle
  double driver_y_mm = 0.0;
  double wing_mm = 0.0;
};

OpenBaffle panel_of(const EnclosureOptions& o) {
  return {.width_m = o.baffle_width_mm / 1e3,
          .height_m = o.baffle_height_mm / 1e3,
          .driver_x_m = (o.driver_x_mm > 0.0 ? o.driver_x_mm : 0.5 * o.baffle_width_mm) / 1e3,
          .driver_y_m = (o.driver_y_mm > 0.0 ? o.driver_y_mm : 0.5 * o.baffle_height_mm) / 1e3,
          .left_wing_m = o.wing_mm / 1e3,
          .right_wing_m = o.wing_mm / 1e3};
}

/// The box alone: tuning, port length, what does not fit.
Result<BoxLoad> load_of(const EnclosureOptions& o, Json& json, Json& notes) {
  BoxLoad load;
  load.volume_m3 = o.volume_l / 1e3;
  load.ql = o.ql;
  load.qa = o.qa;
  load.qp = o.qp;
  json["fb_hz"] = nullptr;
  json["port_length_mm"] = nullptr;
  if (o.loading == "large-baffle" || o.loading == "free-air") {
    load.kind = BoxLoad::Kind::kFreeAir;
    return load;
  }
  if (o.loading == "open-baffle") {
    if (!(o.baffle_width_mm > 0.0 && o.baffle_height_mm > 0.0))
      return bad_input("An open baffle needs --baffle-width-mm and --baffle-height-mm.");
    const OpenBaffle panel = panel_of(o);
    if (const auto checked = check(panel); !checked) return tl::unexpected(checked.error());
    const DipoleRule rule = dipole_rule(panel, kSpeedOfSound20_m_s);
    json["dipole_path_mm"] = rule.path_m * 1e3;
    json["dipole_peak_hz"] = rule.peak_hz;
    json["dipole_null_hz"] = rule.null_hz;
    if (o.wing_mm > 0.0) {
      json["cavity_hz"] =
          open_cavity_hz(panel.left_wing_m, panel.width_m * panel.height_m, kSpeedOfSound20_m_s);
    }
    return open_back_load(panel);
  }
  if (o.loading == "sealed") {
    load.kind = BoxLoad::Kind::kSealed;
    return load;
  }
  if (o.loading == "passive-radiator") {
    if (!(o.radiator_sd_cm2 > 0.0 && o.radiator_mass_g > 0.0))
      return bad_input("A passive radiator needs --radiator-sd-cm2 and --radiator-mass-g.");
    const double mass = o.radiator_mass_g / 1e3;
    // Without a resonance of its own its suspension counts as soft: 10 Hz.
    const double w = 2.0 * kPi * (o.radiator_fs_hz > 0.0 ? o.radiator_fs_hz : 10.0);
    load.kind = BoxLoad::Kind::kPassiveRadiator;
    load.radiator = PassiveRadiator{o.radiator_sd_cm2 / 1e4, mass, 1.0 / (w * w * mass),
                                    w * mass / o.radiator_qms};
    load.tuning_hz = radiator_tuning_hz(load.volume_m3, *load.radiator);
    json["fb_hz"] = load.tuning_hz;
    json["radiator_notch_hz"] = load.radiator->fs_hz();
    return load;
  }
  PortGeometry port{.diameter_m = o.port_diameter_mm / 1e3,
                    .length_m = o.port_length_mm / 1e3,
                    .count = o.port_count,
                    .slot_height_m = o.slot_height_mm / 1e3,
                    .flare_radius_m = o.flare_mm / 1e3};
  if (o.port_diameter_mm > 0.0 && o.port_length_mm <= 0.0) {
    if (!(o.tuning_hz > 0.0))
      return bad_input(
          "A vented box needs --port-length-mm or --tuning-hz with its port's diameter.");
    const auto length = port_length_for(o.tuning_hz, load.volume_m3, port, kSpeedOfSound20_m_s);
    if (!length) return tl::unexpected(length.error());
    port.length_m = *length;
  }
  if (o.port_diameter_mm > 0.0) {
    load = vented_load(load.volume_m3, {port}, o.ql, o.qa, o.qp);
    json["port_length_mm"] = port.length_m * 1e3;
    json["port_resonance_hz"] = pipe_resonance_hz(port, kSpeedOfSound20_m_s);
    if (o.inner_depth_mm > 0.0) {
      if (const auto problem = clearance_problem(port, o.inner_depth_mm / 1e3))
        notes.push_back(*problem);
    }
  } else if (o.tuning_hz > 0.0) {
    load.kind = BoxLoad::Kind::kVented;
    load.tuning_hz = o.tuning_hz;
    notes.push_back("port_length_mm: needs --port-diameter-mm.");
  } else {
    return bad_input(
        "A vented box needs --tuning-hz or a port (--port-diameter-mm, --port-length-mm).");
  }
  json["fb_hz"] = load.tuning_hz;
  return load;
}

void driver_part(const EnclosureOptions& o, const DriverFile& file, BoxLoad load, Json& json,
                 Json& notes) {
  if (load.kind == BoxLoad::Kind::kSealed && load.tuning_hz <= 0.0) {
    // Losses of a closed box are counted at its own resonance.
    load.tuning_hz = file.driver.fs_hz() * std::sqrt(1.0 + file.driver.vas_m3() / load.volume_m3);
  }
  const std::optional<OpenBaffle> panel =
      load.kind == BoxLoad::Kind::kOpenBack ? std::optional(panel_of(o)) : std::nullopt;
  const EnclosureDesign design{.driver = file.driver,
                               .load = load,
                               .port_area_m2 = load.pipe && !panel ? load.pipe->area_m2 : 0.0,
                               .series_ohm = o.series_ohm,
                               .drive_v = o.drive_v,
                               .panel = panel};
  const FrequencyAxis axis = FrequencyAxis::logarithmic(5.0, 5000.0, 48.0);
  const EnclosureCurves curves = solve_enclosure(design, axis);
  const double reference = reference_level_db(design);
  json["reference_level_db"] = reference;
  for (const auto& [key, below] : {std::pair{"f3_hz", 3.0}, {"f6_hz", 6.0}, {"f10_hz", 10.0}}) {
    const auto limit = lower_limit_hz(curves, reference, below);
    json[key] = limit ? Json(*limit) : Json();
    if (!limit) notes.push_back(fmt::format("{}: not within 5 Hz to 500 Hz.", key));
  }
  if (load.kind == BoxLoad::Kind::kSealed) {
    const double rise = std::sqrt(1.0 + file.driver.vas_m3() / load.volume_m3);
    json["fc_hz"] = file.driver.fs_hz() * rise;
    json["qtc"] = file.driver.qts() * rise;
  }
  const auto array = [&](const char* key, auto value) {
    json[key] = Json::array();
    for (std::size_t i = 0; i < axis.size(); ++i) json[key].push_back(value(i));
  };
  array("frequency_hz", [&](std::size_t i) { return axis[i]; });
  array("response_db", [&](std::size_t i) {
    return 20.0 * std::log10(std::abs(curves.pressure_pa[i]) / kReferencePressure_pa);
  });
  array("response_phase_deg",
        [&](std::size_t i) { return std::arg(curves.pressure_pa[i]) * 180.0 / kPi; });
  array("excursion_mm", [&](std::size_t i) { return curves.excursion_m[i] * 1e3; });
  array("impedance_ohm", [&](std::size_t i) { return std::abs(curves.impedance_ohm[i]); });
  array("impedance_phase_deg",
        [&](std::size_t i) { return std::arg(curves.impedance_ohm[i]) * 180.0 / kPi; });
  array("port_velocity_m_s", [&](std::size_t i) { return curves.port_speed_m_s[i]; });
  array("group_delay_ms", [&](std::size_t i) { return curves.group_delay_s[i] * 1e3; });
  if (load.radiator) {
    array("radiator_excursion_mm",
          [&](std::size_t i) { return curves.radiator_excursion_m[i] * 1e3; });
  }
  if (file.xmax_m && file.power_w) {
    const HighestLevel highest =
        highest_level(design, curves, {.xmax_m = *file.xmax_m, .power_w = *file.power_w});
    array("highest_level_db", [&](std::size_t i) { return highest.level_db[i]; });
  }
  const auto fastest = std::max_element(curves.port_speed_m_s.begin(), curves.port_speed_m_s.end());
  if (*fastest > kUsualPortSpeed_m_s) {
    notes.push_back(fmt::format(
        "The air in the port reaches {:.0f} m/s at {}; {:.0f} m/s is a usual limit.", *fastest,
        frequency_text(axis[static_cast<std::size_t>(fastest - curves.port_speed_m_s.begin())]),
        kUsualPortSpeed_m_s));
  }
}

int enclosure_command(const Doors& doors, EnclosureOptions o) {
  if (!o.lowest_note.empty()) {
    const auto note = note_hz(o.lowest_note);
    if (!note) {
      return refuse(doors, Error{ErrorCode::kBadInput,
                                 fmt::format("\"{}\" is no note: a letter, # or b, an octave.",
                                             o.lowest_note),
                                 "--lowest-note"});
    }
    o.tuning_hz = *note;
  }
  Json json{{"loading", o.loading}, {"volume_l", o.volume_l > 0.0 ? Json(o.volume_l) : Json()}};
  Json notes = Json::array();
  const auto load = load_of(o, json, notes);
  if (!load) return refuse(doors, load.error());
  if (!o.driver_file.empty()) {
    const auto file = read_driver(o.driver_file);
    if (!file) return refuse(doors, file.error());
    driver_part(o, *file, *load, json, notes);
  } else {
    json["f3_hz"] = nullptr;
    notes.push_back("f3_hz and all curves: need the driver (--driver-json).");
  }
  json["notes"] = notes;
  if (doors.json) {
    doors.out << dumped(json) << '\n';
    return kDone;
  }
  print_figures(doors.out, json);
  for (const Json& note : notes) doors.out << "note: " << note.get<std::string>() << '\n';
  return kDone;
}

}  // namespace

void add_design_commands(CLI::App& app, Doors& doors, int& status) {
  auto diffraction = std::make_shared<DiffractionOptions>();
  CLI::App* command = app.add_subcommand(
      "diffraction", "what the baffle's edges do to a driver, from geometry alone");
  add_source_options(*command, doors.choice);
  command->add_option("set", diffraction->path, "measurement set with the subject's geometry")
      ->required();
  command->add_option("--driver", diffraction->driver, "id of the driver; the first by default");
  command
      ->add_option("--distance-m", diffraction->distance_m,
                   "listener's distance; that of the on-axis take, else 1 m, by default")
      ->check(above_zero());
  command->add_flag("--try-positions", diffraction->try_positions,
                    "also look for the place on the front with the least ripple");
  command->callback(
      [&doors, &status, diffraction] { status = diffraction_command(doors, *diffraction); });

  auto box = std::make_shared<EnclosureOptions>();
  command = app.add_subcommand("enclosure", "model of a driver in a box, or of the box alone");
  command->add_option("--volume-l", box->volume_l, "net volume; needed by every box")
      ->check(above_zero());
  command->add_option("--loading", box->loading, "what the box is")
      ->check(CLI::IsMember(
          {"sealed", "vented", "passive-radiator", "open-baffle", "large-baffle", "free-air"}));
  command->add_option("--driver-json", box->driver_file,
                      "fs_hz, qms, qes, vas_l, sd_cm2, re_ohm, le_mh, xmax_mm, power_w");
  const auto positive = [&](const char* name, double& value, const char* help) {
    command->add_option(name, value, help)->check(above_zero());
  };
  positive("--tuning-hz", box->tuning_hz, "wanted tuning");
  command->add_option("--lowest-note", box->lowest_note,
                      "tune to an instrument's lowest note instead: E1, B0, Bb1");
  positive("--port-diameter-mm", box->port_diameter_mm, "of a round port, or a slot's width");
  positive("--port-length-mm", box->port_length_mm, "length of the port");
  positive("--slot-height-mm", box->slot_height_mm, "makes the port a slot");
  positive("--flare-radius-mm", box->flare_mm, "rounding of both mouths");
  command->add_option("--port-count", box->port_count, "how many alike")->check(CLI::Range(1, 16));
  command->add_option("--ql", box->ql, "leakage losses, 0 for none; 7 by default")
      ->check(not_negative());
  command->add_option("--qa", box->qa, "absorption losses, 0 for none")->check(not_negative());
  command->add_option("--qp", box->qp, "port losses, 0 for none")->check(not_negative());
  positive("--drive-v", box->drive_v, "volts rms, 2.83 by default");
  command->add_option("--series-ohm", box->series_ohm, "resistance before the driver")
      ->check(not_negative());
  positive("--radiator-sd-cm2", box->radiator_sd_cm2, "passive radiator's area");
  positive("--radiator-mass-g", box->radiator_mass_g, "its moving mass");
  positive("--radiator-fs-hz", box->radiator_fs_hz, "its own resonance");
  positive("--inner-depth-mm", box->inner_depth_mm, "to check the port's clearance");
  positive("--baffle-width-mm", box->baffle_width_mm, "of an open baffle");
  positive("--baffle-height-mm", box->baffle_height_mm, "of an open baffle");
  positive("--driver-x-mm", box->driver_x_mm, "from its left edge; the middle by default");
  positive("--driver-y-mm", box->driver_y_mm, "from its lower edge; the middle by default");
  positive("--wing-mm", box->wing_mm, "depth of both side panels of a U-frame");
  command->callback([&doors, &status, box] {
    const bool boxed =
        box->loading == "sealed" || box->loading == "vented" || box->loading == "passive-radiator";
    if (boxed && !(box->volume_l > 0.0)) throw CLI::RequiredError("--volume-l");
    status = enclosure_command(doors, *box);
  });
}

}  // namespace lalometer
