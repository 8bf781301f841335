#include "cli/impedance_commands.h"

#include <CLI/CLI.hpp>
#include <fstream>
#include <memory>

#include "base/json_text.h"
#include "base/work_owner.h"
#include "cli/option_checks.h"
#include "cli/output.h"
#include "exchange/json_read.h"
#include "book/description/subject_geometry.h"
#include "workbench/sharing/importing.h"
#include "workbench/studies/comparison.h"
#include "workbench/studies/comparison_text.h"
#include "workbench/studies/wiggle_causes.h"

namespace lalometer {
namespace {

using Json = OrderedJson;

/// An impedance from a file or the first impedance take of a set, of a condition where one is
/// asked for.
Result<Response> impedance_of(const Doors& doors, const std::string& path,
                              const std::string& condition = {}) {
  ImportChoices choices;
  choices.kind = ColumnKind::kImpedance;
  const ImportPreview preview = read_source(path, choices, doors.choice);
  const ImportItem* first = nullptr;
  for (const ImportItem& item : preview.items) {
    if (item.take.kind() != TakeKind::kImpedance || !item.curve) continue;
    if (first == nullptr) first = &item;
    if (condition_of(item.take) == condition) return *item.curve;
  }
  if (first != nullptr) return *first->curve;
  if (!preview.problems.empty()) return tl::unexpected(preview.problems.front());
  return bad_input("No impedance was found here.", path);
}

Json estimate_json(const Estimate& e, double scale = 1.0) {
  return {{"value", e.value * scale}, {"uncertainty", e.half_width * std::abs(scale)}};
}
Json estimate_json(const std::optional<Estimate>& e, double scale = 1.0) {
  return e ? estimate_json(*e, scale) : Json(nullptr);
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
};

Result<DriverFit> fitted(const Doors& doors, const std::string& path, const char* condition,
                         const DriverFitWishes& w) {
  const auto z = impedance_of(doors, path, condition);
  if (!z) return tl::unexpected(z.error());
  auto fit = fit_driver(*z, w);
  if (!fit) return tl::unexpected(placed(fit.error(), path));
  return fit;
}

int thiele_small_command(const Doors& doors, const ThieleSmallOptions& o) {
  DriverFitWishes wishes;
  if (o.re_ohm > 0.0) wishes.re_ohm = o.re_ohm;
  const auto free_air = fitted(doors, o.free_air, "free-air", wishes);
  if (!free_air) return refuse(doors, free_air.error());
  std::optional<AddedMass> added;
  std::optional<TestBox> box;
  if (!o.added_mass.empty()) {
    auto fit = fitted(doors, o.added_mass, "added-mass", wishes);
    if (!fit) return refuse(doors, fit.error());
    added = AddedMass{std::move(*fit), o.mass_g * 1e-3};
  } else if (!o.test_box.empty()) {
    wishes.in_closed_box = true;
    auto fit = fitted(doors, o.test_box, "test-box", wishes);
    if (!fit) return refuse(doors, fit.error());
    box = TestBox{std::move(*fit), o.volume_l * 1e-3};
  }
  const auto t = thiele_small(*free_air, o.sd_cm2 * 1e-4, added, box);
  if (!t) return refuse(doors, placed(t.error(), added ? o.added_mass : o.test_box));
  Json json{{"re_ohm", estimate_json(t->re_ohm)},
            {"fs_hz", estimate_json(t->fs_hz)},
            {"qms", estimate_json(t->qms)},
            {"qes", estimate_json(t->qes)},
            {"qts", estimate_json(t->qts)},
            {"vas_l", estimate_json(t->vas_m3, 1e3)},
            {"mms_g", estimate_json(t->mms_kg, 1e3)},
            {"cms_mm_per_n", estimate_json(t->cms_m_per_n, 1e3)},
            {"rms_kg_per_s", estimate_json(t->rms_kg_per_s)},
            {"bl_tm", estimate_json(t->bl_tm)},
            {"le_mh", estimate_json(t->le_h, 1e3)},
            {"sensitivity_db_2v83_1m", estimate_json(t->sensitivity_2v83_db)},
            {"sensitivity_db_1w_1m", estimate_json(t->sensitivity_1w_db)},
            {"reference_efficiency_percent", estimate_json(t->efficiency, 100.0)},
            {"sd_cm2", o.sd_cm2},
            {"coil", {{"model", free_air->coil.name()}, {"parameters", free_air->coil.parameters}}},
            {"creep", estimate_json(free_air->creep)},
            {"misfit_percent", free_air->misfit_percent}};
  if (free_air->second) {
    json["second_resonance_hz"] = estimate_json(free_air->second->frequency_hz);
  }
  const auto z = impedance_of(doors, o.free_air, "free-air");
  const auto points = closed_signature(*z, t->re_ohm.value);
  json["three_frequency_check"] = points ? Json{{"fs_hz", points->resonance_hz},
                                                {"qms", points->qms},
                                                {"qes", points->qes},
                                                {"qts", points->qts}}
                                         : Json(nullptr);
  json["notes"] = t->notes;
  json["notes"].push_back("le_mh: the inductance that has the coil's reactance at 1 kHz.");
  if (!t->mms_kg) {
    json["notes"].push_back(
        "vas_l, mms_g, cms_mm_per_n, rms_kg_per_s, bl_tm, sensitivity, efficiency: one curve does "
        "not tell; add one with a known mass (--added-mass) or a known box (--test-box).");
  }
  if (!points)
    json["notes"].push_back("three_frequency_check: the impedance peak's flanks are not clear.");
  if (doors.json) {
    doors.out << dumped(json) << '\n';
    return kDone;
  }
  const std::pair<const char*, const char*> units[] = {{"re_ohm", "ohm"},
                                                       {"fs_hz", "Hz"},
                                                       {"qms", ""},
                                                       {"qes", ""},
                                                       {"qts", ""},
                                                       {"vas_l", "l"},
                                                       {"mms_g", "g"},
                                                       {"cms_mm_per_n", "mm/N"},
                                                       {"rms_kg_per_s", "kg/s"},
                                                       {"bl_tm", "T m"},
                                                       {"le_mh", "mH"},
                                                       {"sensitivity_db_2v83_1m", "dB"},
                                                       {"sensitivity_db_1w_1m", "dB"},
                                                       {"reference_efficiency_percent", "%"}};
  for (const auto& [key, unit] : units) {
    if (json[key].is_null()) continue;
    doors.out << fmt::format(
        "{:<30} {}\n", key,
        with_uncertainty({json[key]["value"].get<double>(), json[key]["uncertainty"].get<double>()},
                         unit));
  }
  print_notes(doors.out, json);
  return kDone;
}

struct BoxOptions {
  std::string path;
  std::string loading;
  std::string free_air;
  double re_ohm = 0.0;
};

Json wiggle_json(const Wiggle& w) {
  return {{"frequency_hz", w.frequency_hz.value},        {"height_ohm", w.height_ohm},
          {"height_percent", w.height_percent},          {"q", w.q},
          {"uncertainty_hz", w.frequency_hz.half_width}, {"significance", w.significance}};
}

/// What the impedance peaks alone say, where the whole curve does not follow the model.
void by_hand(Json& json, const Response& z, ImpedanceRole role, std::optional<double> re,
             const std::optional<ClosedSignature>& free_air) {
  if (role == ImpedanceRole::kClosedBox) {
    const auto s = closed_signature(z, re);
    json["fc_hz"] = s ? Json(s->resonance_hz) : Json(nullptr);
    json["qtc"] = s ? Json(s->qts) : Json(nullptr);
    json["notes"].push_back(
        s ? "fc_hz, qtc: by three frequencies of the impedance peak alone."
          : "fc_hz, qtc: no impedance peak with both flanks lies in the range of the file.");
    return;
  }
  const auto s = vented_signature(z, re, free_air);
  json["fl_hz"] = s ? Json(s->low_peak_hz) : Json(nullptr);
  json["fb_hz"] = s ? Json(s->tuning_hz) : Json(nullptr);
  json["fh_hz"] = s ? Json(s->high_peak_hz) : Json(nullptr);
  json["ql"] = s ? number_or_null(s->ql) : Json(nullptr);
  json["notes"].push_back(
      s ? "fl_hz, fb_hz, fh_hz: by the three frequencies alone."
        : "fl_hz, fb_hz, fh_hz: two impedance peaks with a valley between are not in the range "
          "of the file.");
  if (s && !s->ql)
    json["notes"].push_back("ql: needs the driver's free-air impedance (--free-air).");
}

void fitted_figures(Json& json, const ImpedanceReading& r) {
  Json spread = Json::object();
  const auto put = [&](const char* key, const Estimate& e) {
    json[key] = e.value;
    spread[key] = e.half_width;
  };
  if (r.driver) {
    put("fc_hz", r.driver->fs_hz);
    put("qtc", r.driver->qts);
    put("qmc", r.driver->qms);
    put("qec", r.driver->qes);
    put("re_ohm", r.driver->re_ohm);
    json["misfit_percent"] = r.driver->misfit_percent;
  } else {
    put("fl_hz", r.box->fl_hz);
    put("fb_hz", r.box->fb_hz);
    put("fh_hz", r.box->fh_hz);
    json["ql"] = nullptr;
    if (r.box->ql) put("ql", *r.box->ql);
    if (r.box->ql) json["ql_means"] = leak_word(r.box->ql->value);
    if (r.box->qa) put("qa", *r.box->qa);
    if (r.box->notch_hz) put("notch_hz", *r.box->notch_hz);
    put("compliance_ratio", r.box->alpha);
    put("re_ohm", r.box->re_ohm);
    json["misfit_percent"] = r.box->misfit_percent;
  }
  json["uncertainty"] = spread;
}

int box_impedance_command(const Doors& doors, const BoxOptions& o) {
  const auto z = impedance_of(doors, o.path, "in-box");
  if (!z) return refuse(doors, z.error());
  const std::optional<double> re = o.re_ohm > 0.0 ? std::optional(o.re_ohm) : std::nullopt;
  const ImpedanceRole role = *impedance_role("in-box", o.loading);
  const ImpedanceReading r = read_impedance(*z, role, re);
  Json json;
  json["notes"] = r.notes;
  WiggleContext context;
  std::optional<ClosedSignature> alone;
  if (!o.free_air.empty()) {
    const auto own = impedance_of(doors, o.free_air, "free-air");
    if (!own) return refuse(doors, own.error());
    const ImpedanceReading driver = read_impedance(*own, ImpedanceRole::kDriver, re);
    alone = closed_signature(*own, re);
    if (driver.driver)
      context.free_air = driver.wiggles;
    else
      json["notes"].push_back(o.free_air + ": " + driver.refusal);
  }
  if (r.refusal.empty()) {
    fitted_figures(json, r);
    if (r.box && !r.box->ql) json["notes"].push_back("ql: not to be told from no loss at all.");
  } else {
    json["notes"].push_back(r.refusal);
    by_hand(json, *z, role, re, alone);
  }
  json["minimum_ohm"] = r.minimum ? Json(r.minimum->magnitude_ohm) : Json(nullptr);
  json["minimum_at_hz"] = r.minimum ? Json(r.minimum->frequency_hz) : Json(nullptr);
  json["nominal_ohm"] = number_or_null(r.nominal_ohm);
  json["peak_dissipation_ohm"] =
      r.dissipation ? Json(r.dissipation->resistance_ohm) : Json(nullptr);
  json["peak_dissipation_at_hz"] =
      r.dissipation ? Json(r.dissipation->frequency_hz) : Json(nullptr);
  if (!z->has_phase())
    json["notes"].push_back(
        "The file has no phase: magnitudes alone were fitted, the amplifier's load is not known.");
  json["peaks"] = Json::array();
  for (const ImpedancePeak& peak : r.peaks) {
    json["peaks"].push_back(
        {{"frequency_hz", peak.frequency_hz}, {"magnitude_ohm", peak.magnitude_ohm}});
  }
  if (r.motor() == nullptr) {
    json["wiggles"] = nullptr;
    json["notes"].push_back("wiggles: without a fitted model there is no ground to see them on.");
  } else {
    json["wiggles"] = Json::array();
    for (const ExplainedWiggle& e : explained(r.wiggles, context)) {
      json["wiggles"].push_back(wiggle_json(e.wiggle));
      if (context.free_air) json["wiggles"].back()["in_driver"] = e.name == "in the driver itself";
    }
  }
  if (doors.json) {
    doors.out << dumped(json) << '\n';
    return kDone;
  }
  print_figures(doors.out, json);
  for (const Json& peak : json["peaks"]) {
    doors.out << fmt::format("{:<24} {} ohm at {}\n", "peak",
                             three_digits(peak["magnitude_ohm"].get<double>()),
                             frequency_text(peak["frequency_hz"].get<double>()));
  }
  for (const Json& w : json["wiggles"]) {
    doors.out << fmt::format("{:<24} {} of {:.1f} %, Q {}\n", "wiggle",
                             frequency_text(w["frequency_hz"].get<double>()),
                             w["height_percent"].get<double>(), three_digits(w["q"].get<double>()));
  }
  print_notes(doors.out, json);
  return kDone;
}

int compare_command(const Doors& doors, const std::string& path, const std::string& by,
                    const std::string& csv) {
  const ImportPreview preview = read_source(path, {}, doors.choice);
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
  const SeriesMaterial material = series_material(preview, by == "sample");
  if (material.members.size() < 2) {
    return refuse(doors, {ErrorCode::kBadInput,
                          fmt::format("Only {} {} has takes here; at least two are compared.",
                                      material.members.size(), by),
                          path});
  }
  const SeriesComparison s = compared(
      material.members, material.role,
      {.free_air = material.free_air ? &*material.free_air : nullptr, .parallel = on_threads()});
  Json json = comparison_json(s);
  json["by"] = by;
  for (const std::string& note : material.notes) json["notes"].push_back(note);
  for (const std::string& note : aside) json["notes"].push_back(note);
  if (!csv.empty()) {
    std::ofstream out(csv);
    out << comparison_csv(s);
    if (!out.flush()) return refuse(doors, {ErrorCode::kStorage, "Cannot be written.", csv});
  }
  if (doors.json) {
    doors.out << dumped(json) << '\n';
    return kDone;
  }
  doors.out << comparison_table(s);
  print_notes(doors.out, json);
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
  command->callback(
      [&doors, &status, enclosure] { status = box_impedance_command(doors, *enclosure); });

  auto set = std::make_shared<std::string>();
  auto by = std::make_shared<std::string>();
  auto csv = std::make_shared<std::string>();
  command = app.add_subcommand("compare", "variants or samples of a set against one another");
  add_source_options(*command, doors.choice);
  command->add_option("set", *set, "measurement set")->required();
  command->add_option("--by", *by, "what differs")
      ->required()
      ->check(CLI::IsMember({"variant", "sample"}));
  command->add_option("--csv", *csv, "the table of figures as a file too");
  command->callback(
      [&doors, &status, set, by, csv] { status = compare_command(doors, *set, *by, *csv); });
}

}  // namespace lalometer
