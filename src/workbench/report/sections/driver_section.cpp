#include "workbench/report/sections/driver_section.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"
#include "book/description/driver_parameters.h"
#include "workbench/answers/impedance_answer.h"
#include "workbench/report/report_lanes.h"
#include "workbench/telling/impedance_told.h"

namespace lalometer::sections {
namespace {

struct Name {
  const char* key;
  const char* name;
};
constexpr Name kParameters[] = {
    {"re_ohm", "Direct-current resistance Re"},
    {"fs_hz", "Resonance fs"},
    {"qms", "Qms"},
    {"qes", "Qes"},
    {"qts", "Qts"},
    {"vas_l", "Vas"},
    {"mms_g", "Moving mass Mms"},
    {"cms_mm_per_n", "Compliance Cms"},
    {"rms_kg_per_s", "Mechanical loss Rms"},
    {"bl_tm", "Force factor Bl"},
    {"le_mh", "Inductance Le"},
    {"sensitivity_db_2v83_1m", "Sensitivity, 2.83 V, 1 m"},
    {"reference_efficiency_percent", "Efficiency"},
};

/// The take with a mass on the cone, or in a test box, of the same sample.
const ImportItem* second_of(const ImportPreview& preview, const char* condition,
                            const std::string& sample) {
  for (const ImportItem& item : preview.items)
    if (item.curve && item.take.kind() == TakeKind::kImpedance &&
        condition_of(item.take) == condition && item.take.conditions.sample == sample)
      return &item;
  return nullptr;
}

Result<DriverFit> fit_of(const Response& curve, double percent, bool in_box) {
  DriverFitWishes wishes;
  wishes.in_closed_box = in_box;
  wishes.calibration_percent = percent;
  return fit_driver(curve, wishes);
}

LaneContent impedance_lane_of(const Response& z) {
  LaneContent content;
  content.title = "Impedance in free air";
  content.subtitle = "magnitude and phase";
  double high = 10.0;
  Series magnitude, phase;
  magnitude.label = "magnitude";
  magnitude.chosen = true;
  phase.label = "phase";
  phase.style = 1;
  for (std::size_t i = 0; i < z.size(); ++i) {
    magnitude.x.push_back(z.axis()[i]);
    magnitude.y.push_back(z.magnitude(i));
    high = std::max(high, z.magnitude(i));
    if (!z.has_phase()) continue;
    phase.x.push_back(z.axis()[i]);
    phase.y.push_back(std::arg(z.value(i)) * 180.0 / kPi);
  }
  content.left = {.quantity = AxisQuantity::kOther,
                  .scale = AxisScale::kLinear,
                  .unit = "Ω",
                  .low = 0.0,
                  .high = 10.0 * std::ceil(high / 10.0)};
  content.right = {.quantity = AxisQuantity::kAngle, .unit = "°", .low = -90.0, .high = 90.0};
  content.add_curves().push_back(std::move(magnitude));
  if (z.has_phase()) content.add_curves(Side::kRight).push_back(std::move(phase));
  return content;
}

/// Samples against one another, each by its own fit; nothing of fewer than two.
void put_samples(ReportWriter& w, const ImportPreview& preview, const std::string& driver) {
  ReportTable table{{"Sample", "fs", "Qts", "Qms", "Re"}, {}, "Each by its own fit, in free air."};
  std::vector<std::string> seen;
  for (const ImportItem& item : preview.items) {
    const Conditions& c = item.take.conditions;
    if (!item.curve || item.take.kind() != TakeKind::kImpedance ||
        condition_of(item.take) != "free-air" || c.driver != driver || c.sample.empty() ||
        std::find(seen.begin(), seen.end(), c.sample) != seen.end())
      continue;
    seen.push_back(c.sample);
    const auto fit = fit_of(
        *item.curve, item.rig ? item.rig->impedance_uncertainty_percent : kUsualCalibration_percent,
        false);
    if (!fit) continue;
    const auto text = [](const Estimate& e, const char* unit) {
      return stated_text(e.value, e.half_width, unit);
    };
    table.rows.push_back({c.sample, text(fit->fs_hz, "Hz"), text(fit->qts, ""), text(fit->qms, ""),
                          text(fit->re_ohm, "ohm")});
  }
  if (table.rows.size() > 1) w.table(std::move(table));
}

}  // namespace

void put_driver(ReportWriter& w, const ImportPreview& preview, const std::string& where) {
  w.begin("driver", "Small-signal parameters");
  const auto free_air = impedance_in(preview, "free-air", where, true);
  if (!free_air) {
    w.missing("The impedance in free air was not measured.");
    return w.end();
  }
  w.picture({"impedance-free-air", impedance_lane_of(free_air->curve),
             fmt::format("{:.1f} °C.", free_air->take.conditions.temperature_c)});
  const auto fit = fit_of(free_air->curve, free_air->calibration_percent, false);
  double sd_m2 = 0.0;
  if (preview.subject)
    for (const DescribedDriver& d : preview.subject->description.drivers)
      if (d.id == free_air->take.conditions.driver || sd_m2 <= 0.0) sd_m2 = described_area_m2(d);
  if (!fit || sd_m2 <= 0.0) {
    w.say("driver.none", !fit ? "No parameters are stated: " + fit.error().message
                              : "No parameters are stated: the radiating area is not told.");
    return w.end();
  }
  std::optional<AddedMass> added;
  std::optional<TestBox> box;
  std::string how = "by the resonance alone: mass and compliance are not known";
  if (const ImportItem* item = second_of(preview, "added-mass", free_air->take.conditions.sample)) {
    const auto* setup = std::get_if<ImpedanceSetup>(&item->take.setup);
    if (auto second = fit_of(*item->curve, free_air->calibration_percent, false);
        second && setup != nullptr && setup->added_mass_g > 0.0) {
      added = AddedMass{*std::move(second), 1e-3 * setup->added_mass_g};
      how = fmt::format("with {:.1f} g added to the cone", setup->added_mass_g);
    }
  } else if (const ImportItem* boxed =
                 second_of(preview, "test-box", free_air->take.conditions.sample)) {
    const auto* setup = std::get_if<ImpedanceSetup>(&boxed->take.setup);
    if (auto second = fit_of(*boxed->curve, free_air->calibration_percent, true);
        second && setup != nullptr && setup->test_box_l > 0.0) {
      box = TestBox{*std::move(second), 1e-3 * setup->test_box_l};
      how = fmt::format("in a test box of {:.1f} l", setup->test_box_l);
    }
  }
  const auto t = thiele_small(*fit, sd_m2, added, box, {});
  if (!t) {
    w.say("driver.none", "No parameters are stated: " + t.error().message);
    return w.end();
  }
  const Told told = told_of(*t, *fit, sd_m2, &free_air->curve);
  ReportTable table{{"Parameter", "value"}, {}, "95 % intervals; " + how + "."};
  for (const Name& p : kParameters)
    if (const auto value = w.state("thiele-small", told, p.key))
      table.rows.push_back({p.name, *value});
  for (const auto& [key, name] : {std::pair{"fs_hz", "Resonance fs"}, std::pair{"qts", "Qts"},
                                  std::pair{"vas_l", "Vas"}, std::pair{"bl_tm", "Force factor Bl"}})
    w.card(name, w.state("thiele-small", told, key), how);
  w.table(std::move(table));
  put_samples(w, preview, free_air->take.conditions.driver);
  w.end();
}

}  // namespace lalometer::sections
