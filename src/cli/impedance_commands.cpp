#include "cli/impedance_commands.h"

#include <CLI/CLI.hpp>
#include <fstream>
#include <memory>

#include "base/text.h"
#include "base/work_owner.h"
#include "cli/options/option_checks.h"
#include "cli/output.h"
#include "workbench/answers/impedance_answer.h"
#include "workbench/sharing/importing.h"
#include "workbench/studies/comparison.h"
#include "workbench/studies/series_material.h"
#include "workbench/telling/comparison_told.h"
#include "workbench/telling/impedance_told.h"

namespace lalometer {
namespace {

Result<SourceImpedance> impedance_of(const Doors& doors, const std::string& path,
                                     const std::string& condition = {}) {
  ImportChoices choices;
  choices.kind = ColumnKind::kImpedance;
  return impedance_in(read_for(doors, path, choices), condition, path);
}

Error placed(Error error, const std::string& path) {
  if (error.where.empty()) error.where = path;
  return error;
}

struct ThieleSmallOptions {
  std::string free_air;
  double sd_cm2 = 0.0;
  std::string added_mass;
  double mass_g = 0.0;
  std::string test_box;
  double volume_l = 0.0;
  double re_ohm = 0.0;
  HandUncertainty hand;
  std::optional<double> calibration_percent;  ///< nothing: the rig's own
};

/// Half-widths in per cent; 0 leaves a term out.
template <class Percent>
CLI::Option* uncertainty(CLI::App& command, const char* name, Percent& percent, const char* what) {
  return command.add_option(name, percent, what)->check(CLI::Range(0.0, 100.0));
}

Result<DriverFit> fitted(const Doors& doors, const std::string& path, const char* condition,
                         DriverFitWishes w, const std::optional<double>& calibration_percent) {
  const auto z = impedance_of(doors, path, condition);
  if (!z) return tl::unexpected(z.error());
  w.calibration_percent = calibration_percent.value_or(z->calibration_percent);
  auto fit = fit_driver(z->curve, w);
  if (!fit) return tl::unexpected(placed(fit.error(), path));
  return fit;
}

int thiele_small_command(const Doors& doors, const ThieleSmallOptions& o) {
  DriverFitWishes wishes;
  if (o.re_ohm > 0.0) wishes.re_ohm = o.re_ohm;
  const auto free_air = fitted(doors, o.free_air, "free-air", wishes, o.calibration_percent);
  if (!free_air) return refuse(doors, free_air.error());
  std::optional<AddedMass> added;
  std::optional<TestBox> box;
  if (!o.added_mass.empty()) {
    auto fit = fitted(doors, o.added_mass, "added-mass", wishes, o.calibration_percent);
    if (!fit) return refuse(doors, fit.error());
    added = AddedMass{std::move(*fit), o.mass_g * 1e-3};
  } else if (!o.test_box.empty()) {
    wishes.in_closed_box = true;
    auto fit = fitted(doors, o.test_box, "test-box", wishes, o.calibration_percent);
    if (!fit) return refuse(doors, fit.error());
    box = TestBox{std::move(*fit), o.volume_l * 1e-3};
  }
  const auto t = thiele_small(*free_air, o.sd_cm2 * 1e-4, added, box, o.hand);
  if (!t) return refuse(doors, placed(t.error(), added ? o.added_mass : o.test_box));
  const auto z = impedance_of(doors, o.free_air, "free-air");
  if (!z) return refuse(doors, z.error());
  Told told = told_of(*t, *free_air, o.sd_cm2 * 1e-4, &z->curve);
  const double rig_percent = o.calibration_percent.value_or(z->calibration_percent);
  if (rig_percent > 0.0) {
    told.note(fmt::format("Uncertainties count {} % for a smooth error of the rig.",
                          shortest(rig_percent)));
  }
  return print(doors, told);
}

struct BoxOptions {
  std::string path;
  std::string loading;
  std::string free_air;
  double re_ohm = 0.0;
  std::optional<double> calibration_percent;  ///< nothing: the rig's own
};

int box_impedance_command(const Doors& doors, const BoxOptions& o) {
  const auto z = impedance_of(doors, o.path, "in-box");
  if (!z) return refuse(doors, z.error());
  const std::optional<double> re = o.re_ohm > 0.0 ? std::optional(o.re_ohm) : std::nullopt;
  const ImpedanceRole role = *impedance_role("in-box", o.loading);
  const ImpedanceReading r =
      read_impedance(z->curve, role, re, o.calibration_percent.value_or(z->calibration_percent));
  BoxImpedance box{.impedance = &z->curve, .reading = &r, .re_ohm = re};
  std::vector<std::string> notes;
  if (!o.free_air.empty()) {
    const auto own = impedance_of(doors, o.free_air, "free-air");
    if (!own) return refuse(doors, own.error());
    const ImpedanceReading driver = read_impedance(own->curve, ImpedanceRole::kDriver, re);
    box.alone = closed_signature(own->curve, re);
    if (driver.driver)
      box.context.free_air = driver.wiggles;
    else
      notes.push_back(o.free_air + ": " + driver.refusal);
  }
  return print(doors, told_of(box).notes(notes));
}

struct CompareOptions {
  std::string set;
  std::string by;
  std::string csv;
  std::vector<std::string> aims;
  std::optional<double> calibration_percent;
};

int compare_command(const Doors& doors, const CompareOptions& o) {
  const std::string& path = o.set;
  const ImportPreview preview = read_for(doors, path);
  std::vector<std::string> aside;
  for (const Error& problem : preview.problems) {
    // Takes of kinds that are not read are named without a place; a file that cannot be used has
    // one.
    if (!problem.where.empty()) return refuse(doors, problem);
    aside.push_back(problem.message);
  }
  if (!preview.subject)
    return refuse(
        doors, {ErrorCode::kBadInput, "Not a measurement set or a book: compare needs one.", path});
  SeriesMaterial material = series_material(preview, o.by == "sample");
  if (o.calibration_percent) {
    for (ComparedMember& m : material.members)
      m.calibration_percent.assign(m.impedances.size(), *o.calibration_percent);
  }
  if (material.members.size() < 2) {
    return refuse(doors, {ErrorCode::kBadInput,
                          fmt::format("Only {} {} has takes here; at least two are compared.",
                                      material.members.size(), o.by),
                          path});
  }
  ComparisonOptions options{.free_air = material.free_air ? &*material.free_air : nullptr,
                            .parallel = on_threads()};
  if (!o.aims.empty()) options.aims.clear();
  for (const std::string& word : o.aims) options.aims.push_back(*series_aim(word));
  const SeriesComparison s = compared(material.members, material.role, options);
  const std::vector<FactorTable> factors = factor_tables(s, material.members);
  Told told = told_of(s);
  told.put("factors", told_of(factors));
  told.put("by", o.by).notes(material.notes).notes(aside);
  if (!o.csv.empty()) {
    std::ofstream out(o.csv);
    out << comparison_csv(s);
    if (!out.flush()) return refuse(doors, {ErrorCode::kStorage, "Cannot be written.", o.csv});
  }
  if (doors.json) return print(doors, told);
  doors.out << comparison_table(s);
  for (const FactorTable& t : factors) doors.out << t.told << '\n';
  for (const std::string& note : told.notes()) doors.out << "note: " << note << '\n';
  return kDone;
}

}  // namespace

void add_impedance_commands(CLI::App& app, Doors& doors, int& status) {
  auto driver = std::make_shared<ThieleSmallOptions>();
  CLI::App* command =
      app.add_subcommand("thiele-small", "parameters of a driver from its impedance");
  add_source_options(*command, doors.choice);
  command->add_option("free_air", driver->free_air, "impedance in free air")->required();
  command->add_option("--sd-cm2", driver->sd_cm2, "effective radiating area")
      ->required()
      ->check(above_zero());
  CLI::Option* added =
      command->add_option("--added-mass", driver->added_mass, "impedance with a mass on the cone");
  CLI::Option* mass =
      command->add_option("--mass-g", driver->mass_g, "that mass")->check(above_zero());
  CLI::Option* box =
      command->add_option("--test-box", driver->test_box, "impedance in a closed box");
  CLI::Option* volume =
      command->add_option("--volume-l", driver->volume_l, "that box's volume")->check(above_zero());
  added->needs(mass)->excludes(box);
  mass->needs(added);
  box->needs(volume);
  volume->needs(box);
  command->add_option("--re-ohm", driver->re_ohm, "direct-current resistance by an ohmmeter")
      ->check(above_zero());
  uncertainty(*command, "--sd-uncertainty", driver->hand.sd_percent,
              "half-width of the area's 95 % interval, per cent");
  uncertainty(*command, "--mass-uncertainty", driver->hand.mass_percent, "of the added mass");
  uncertainty(*command, "--volume-uncertainty", driver->hand.volume_percent, "of the test box");
  uncertainty(*command, "--calibration-uncertainty", driver->calibration_percent,
              "of the rig's smooth error, per cent of the impedance");
  command->callback([&doors, &status, driver] { status = thiele_small_command(doors, *driver); });

  auto enclosure = std::make_shared<BoxOptions>();
  command = app.add_subcommand("box-impedance", "what the impedance of a box tells");
  add_source_options(*command, doors.choice);
  command->add_option("path", enclosure->path, "impedance file or measurement set")->required();
  command->add_option("--loading", enclosure->loading, "what the box is")
      ->required()
      ->check(CLI::IsMember({"sealed", "vented", "passive-radiator"}));
  command->add_option("--free-air", enclosure->free_air, "impedance of the driver alone");
  command->add_option("--re-ohm", enclosure->re_ohm, "direct-current resistance")
      ->check(above_zero());
  uncertainty(*command, "--calibration-uncertainty", enclosure->calibration_percent,
              "half-width of the rig's smooth error, per cent of the impedance");
  command->callback(
      [&doors, &status, enclosure] { status = box_impedance_command(doors, *enclosure); });

  auto series = std::make_shared<CompareOptions>();
  command = app.add_subcommand("compare", "variants or samples of a set against one another");
  add_source_options(*command, doors.choice);
  command->add_option("set", series->set, "measurement set")->required();
  command->add_option("--by", series->by, "what differs")
      ->required()
      ->check(CLI::IsMember({"variant", "sample"}));
  command
      ->add_option("--rank", series->aims,
                   "what the ranking counts, separated by commas; otherwise smoothness, extension "
                   "and output")
      ->delimiter(',')
      ->check(CLI::IsMember({"smoothness", "extension", "output", "decay", "load"}));
  command->add_option("--csv", series->csv, "the table of figures as a file too");
  uncertainty(*command, "--calibration-uncertainty", series->calibration_percent,
              "half-width of the rig's smooth error, per cent of the impedance");
  command->callback([&doors, &status, series] { status = compare_command(doors, *series); });
}

}  // namespace lalometer
