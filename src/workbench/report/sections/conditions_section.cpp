#include <fmt/format.h>

#include <map>

#include "base/text.h"
#include "workbench/report/sections/report_sections.h"

namespace lalometer::sections {
namespace {

const char* kind_text(TakeKind kind) {
  switch (kind) {
    case TakeKind::kImpedance:
      return "impedance";
    case TakeKind::kNearField:
      return "near field";
    case TakeKind::kResponse:
      return "response";
    case TakeKind::kLevelStep:
      return "sweep at one of several drives";
    case TakeKind::kMultitone:
      return "many tones";
    case TakeKind::kSteadyTones:
      return "single tones";
    default:
      return "of a kind that is not read";
  }
}

}  // namespace

void put_conditions(ReportWriter& w, const ReportMaterial& m, const std::string& fingerprint) {
  w.begin("conditions", "How it was measured");
  // Takes of one kind under one set of conditions are one row.
  std::map<std::pair<std::string, std::string>, int> counts;
  for (const ImportItem& item : m.preview.items) {
    if (item.calibration) continue;
    std::string what = kind_text(item.take.kind());
    if (const std::string c = condition_of(item.take); !c.empty()) what += ", " + c;
    if (!item.take.conditions.driver.empty()) what += ", " + item.take.conditions.driver + " alone";
    ++counts[{what, conditions_of(item)}];
  }
  ReportTable table{{"Takes", "of", "under"}, {}, ""};
  for (const auto& [what, count] : counts)
    table.rows.push_back({std::to_string(count), what.first, what.second});
  w.table(std::move(table));
  std::map<std::string, int> corrections;
  std::map<std::string, std::string> calibrated;
  for (const ImportItem& item : m.preview.items) {
    if (!item.rig) continue;
    if (item.rig->microphone_correction) ++corrections[item.rig->microphone_correction_name];
    for (const auto& [part, when] : item.rig->taken_at) calibrated[part] = when;
  }
  int number = 0;
  for (const auto& [name, count] : corrections)
    w.say(fmt::format("conditions.microphone.{}", ++number),
          fmt::format("The microphone's own correction{} is taken out of {} takes.",
                      name.empty() ? "" : " (" + name + ")", count));
  constexpr std::size_t kDay = 10;
  for (const auto& [part, when] : calibrated)
    w.say("conditions.calibrated." + part,
          fmt::format("Calibrated on {}: {}.", when.substr(0, kDay), part));
  w.say(
      "conditions.intervals",
      "Intervals hold 95 of 100. Hatched and dotted parts of figures are not valid: the gate, the "
      "noise or the method carries no further.");
  w.say("conditions.fingerprint",
        fmt::format("Made by lalometer {} from takes whose fingerprint (SHA-256 over all raw data) "
                    "is {}.",
                    LALOMETER_VERSION, fingerprint));
  number = 0;
  for (const Error& problem : m.preview.problems)
    w.say(fmt::format("conditions.left.{}", ++number), "Left out: " + problem.text());
  w.end();
}

}  // namespace lalometer::sections
