#include <fmt/format.h>

#include <chrono>
#include <cstdio>
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

/// Days from one ISO date to another; nothing where one is none.
std::optional<int> days_between(const std::string& from, const std::string& to) {
  const auto day_of = [](const std::string& text) -> std::optional<std::chrono::sys_days> {
    int year = 0;
    unsigned month = 0, day = 0;
    if (std::sscanf(text.c_str(), "%d-%u-%u", &year, &month, &day) != 3) return std::nullopt;
    const std::chrono::year_month_day date{std::chrono::year(year), std::chrono::month(month),
                                           std::chrono::day(day)};
    return date.ok() ? std::optional(std::chrono::sys_days(date)) : std::nullopt;
  };
  const auto a = day_of(from), b = day_of(to);
  if (!a || !b) return std::nullopt;
  return static_cast<int>((*b - *a).count());
}

/// The rig, its calibrations and how old they were, and what the microphone's own correction took.
void put_rig(ReportWriter& w, const ReportMaterial& m) {
  constexpr std::size_t kDay = 10;
  std::map<std::string, int> rigs, corrections;
  std::map<std::string, std::string> calibrated;
  std::string newest;
  for (const ImportItem& item : m.preview.items) {
    newest = std::max(newest, item.take.taken_at.substr(0, kDay));
    if (!item.rig) continue;
    if (!item.rig->rig_name.empty()) ++rigs[item.rig->rig_name];
    if (item.rig->microphone_correction) ++corrections[item.rig->microphone_correction_name];
    for (const auto& [part, when] : item.rig->taken_at) calibrated[part] = when;
  }
  for (const auto& [name, count] : rigs)
    w.say("conditions.rig." + name, fmt::format("Rig: {}, {} takes.", name, count));
  int number = 0;
  for (const auto& [name, count] : corrections)
    w.say(fmt::format("conditions.microphone.{}", ++number),
          fmt::format("The microphone's own correction{} is taken out of {} takes.",
                      name.empty() ? "" : " (" + name + ")", count));
  for (const auto& [part, when] : calibrated) {
    const auto days = days_between(when.substr(0, kDay), newest);
    w.say("conditions.calibrated." + part,
          fmt::format("Calibrated on {}: {}{}.", when.substr(0, kDay), part,
                      days && *days >= 0 ? fmt::format(", {} days before the newest take", *days)
                                         : std::string()));
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
  put_rig(w, m);
  w.say(
      "conditions.intervals",
      "Intervals hold 95 of 100. Hatched and dotted parts of figures are not valid: the gate, the "
      "noise or the method carries no further.");
  w.say("conditions.fingerprint",
        fmt::format("Made by lalometer {} from takes whose fingerprint (SHA-256 over all raw data) "
                    "is {}.",
                    LALOMETER_VERSION, fingerprint));
  int number = 0;
  for (const Error& problem : m.preview.problems)
    w.say(fmt::format("conditions.left.{}", ++number), "Left out: " + problem.text());
  w.end();
}

}  // namespace lalometer::sections
