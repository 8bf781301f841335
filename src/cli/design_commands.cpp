#include "cli/design_commands.h"

#include <CLI/CLI.hpp>
#include <cmath>
#include <filesystem>
#include <memory>

#include "base/text.h"
#include "cli/options/option_checks.h"
#include "cli/output.h"
#include "exchange/set/driver_file.h"
#include "workbench/telling/design_told.h"

namespace lalometer {
namespace {

struct DiffractionOptions {
  std::string path;
  std::string driver;
  double distance_m = 0.0;
  bool try_positions = false;
};

int diffraction_command(const Doors& doors, const DiffractionOptions& o) {
  const ImportPreview source = read_for(doors, o.path);
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
  std::optional<BestPosition> best;
  if (o.try_positions) {
    auto found = best_position(*geometry, o.driver, {}, terminal_progress("trying positions"));
    if (!found) return refuse(doors, found.error());
    best = std::move(*found);
  }
  return print(doors, told_of(*prediction, best ? &*best : nullptr));
}

struct EnclosureOptions {
  EnclosureWish wish;
  std::string driver_file;
  std::string lowest_note;
};

int enclosure_command(const Doors& doors, EnclosureOptions o) {
  if (!o.lowest_note.empty()) {
    const auto note = note_hz(o.lowest_note);
    if (!note) {
      return refuse(doors, Error{ErrorCode::kBadInput,
                                 fmt::format("\"{}\" is no note: a letter, # or b, an octave.",
                                             o.lowest_note),
                                 "--lowest-note"});
    }
    o.wish.tuning_hz = *note;
  }
  std::optional<EnclosedDriver> driver;
  if (!o.driver_file.empty()) {
    const auto file = read_driver(o.driver_file);
    if (!file) return refuse(doors, file.error());
    driver = EnclosedDriver{file->driver, file->xmax_m, file->power_w};
  }
  const auto study = study_enclosure(o.wish, driver);
  if (!study) return refuse(doors, study.error());
  return print(doors, told_of(*study));
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
  command->add_option("--volume-l", box->wish.volume_l, "net volume; needed by every box")
      ->check(above_zero());
  command->add_option("--loading", box->wish.loading, "what the box is")
      ->check(CLI::IsMember(
          {"sealed", "vented", "passive-radiator", "open-baffle", "large-baffle", "free-air"}));
  command->add_option("--driver-json", box->driver_file,
                      "fs_hz, qms, qes, vas_l, sd_cm2, re_ohm, le_mh, xmax_mm, power_w");
  const auto positive = [&](const char* name, double& value, const char* help) {
    command->add_option(name, value, help)->check(above_zero());
  };
  positive("--tuning-hz", box->wish.tuning_hz, "wanted tuning");
  command->add_option("--lowest-note", box->lowest_note,
                      "tune to an instrument's lowest note instead: E1, B0, Bb1");
  positive("--port-diameter-mm", box->wish.port_diameter_mm, "of a round port, or a slot's width");
  positive("--port-length-mm", box->wish.port_length_mm, "length of the port");
  positive("--slot-height-mm", box->wish.slot_height_mm, "makes the port a slot");
  positive("--flare-radius-mm", box->wish.flare_mm, "rounding of both mouths");
  command->add_option("--port-count", box->wish.port_count, "how many alike")
      ->check(CLI::Range(1, 16));
  command
      ->add_option("--ql", box->wish.ql,
                   "leakage losses, 0 for none; by default 7, and none for a sealed box")
      ->check(not_negative());
  command->add_option("--qa", box->wish.qa, "absorption losses, 0 for none")->check(not_negative());
  command->add_option("--qp", box->wish.qp, "port losses, 0 for none")->check(not_negative());
  positive("--drive-v", box->wish.drive_v, "volts rms, 2.83 by default");
  command->add_option("--series-ohm", box->wish.series_ohm, "resistance before the driver")
      ->check(not_negative());
  positive("--radiator-sd-cm2", box->wish.radiator_sd_cm2, "passive radiator's area");
  positive("--radiator-mass-g", box->wish.radiator_mass_g, "its moving mass");
  positive("--radiator-fs-hz", box->wish.radiator_fs_hz, "its own resonance");
  positive("--inner-depth-mm", box->wish.inner_depth_mm, "to check the port's clearance");
  positive("--baffle-width-mm", box->wish.baffle_width_mm, "of an open baffle");
  positive("--baffle-height-mm", box->wish.baffle_height_mm, "of an open baffle");
  positive("--driver-x-mm", box->wish.driver_x_mm, "from its left edge; the middle by default");
  positive("--driver-y-mm", box->wish.driver_y_mm, "from its lower edge; the middle by default");
  positive("--wing-mm", box->wish.wing_mm, "depth of both side panels of a U-frame");
  command->callback([&doors, &status, box] {
    const bool boxed = box->wish.loading == "sealed" || box->wish.loading == "vented" ||
                       box->wish.loading == "passive-radiator";
    if (boxed && !(box->wish.volume_l > 0.0)) throw CLI::RequiredError("--volume-l");
    status = enclosure_command(doors, *box);
  });
}

}  // namespace lalometer
