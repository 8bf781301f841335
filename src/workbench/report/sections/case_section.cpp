#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "diagnosis/remedies.h"
#include "workbench/report/sections/report_sections.h"

namespace lalometer::sections {
namespace {

double weight_of(const Finding& f) {
  const double heard = static_cast<double>(f.severity) + 0.5;
  return heard * (f.causes.empty() ? 0.1 : f.causes.front().probability);
}

std::string place_of(const Finding& f) {
  return fmt::format("{} at {} ({:+.1f} dB)", capitalised(word_of(f.shape)),
                     frequency_text(f.frequency_hz), f.size_db);
}

std::string joined(const std::vector<std::string>& all) {
  return fmt::format("{}", fmt::join(all, "; "));
}

void put_full(ReportWriter& w, const std::string& key, const FindingCause& c) {
  w.say(key, fmt::format(
                 "{}, {}: {}.{}", capitalised(spoken_cause(c.cause)), spoken_chance(c.probability),
                 c.evidence.empty() ? "no evidence but what it is like" : joined(c.evidence),
                 c.against.empty() ? "" : " Against it: " + joined(c.against) + "."));
}

}  // namespace

void put_case(ReportWriter& w, const SectionInput& in, bool full) {
  const ReportMaterial& m = in.material;
  w.begin("case", "Findings");
  if (!m.diagnosis) {
    w.missing("It was not diagnosed: " + capitalised(m.diagnosis.why_not));
    return w.end();
  }
  const Diagnosis& d = *m.diagnosis.value;
  std::vector<const Finding*> order;
  for (const Finding& f : d.findings) order.push_back(&f);
  std::stable_sort(order.begin(), order.end(), [](const Finding* a, const Finding* b) {
    return weight_of(*a) > weight_of(*b);
  });
  if (d.clean()) w.say("case.clean", "Nothing was found wrong that these takes could show.");
  ReportTable table{{"What", "heard", "most probable cause", "", "by equaliser"},
                    {},
                    "Probabilities among the causes that were weighed."};
  constexpr std::size_t kMost = 3;
  for (std::size_t i = 0; i < order.size() && (full || i < kMost); ++i) {
    const Finding& f = *order[i];
    const bool told = !f.causes.empty();
    table.rows.push_back({place_of(f), word_of(f.severity),
                          told ? spoken_cause(f.causes.front().cause) : "not told",
                          told ? spoken_chance(f.causes.front().probability) : "",
                          f.correctable_by_eq ? "can be corrected" : "must not be corrected"});
  }
  for (std::size_t i = 0; i < std::min(kMost, order.size()); ++i)
    if (!order[i]->causes.empty() && order[i]->causes.front().probability > 0.5)
      w.highlight(fmt::format("{}: {} ({}).", place_of(*order[i]),
                              spoken_cause(order[i]->causes.front().cause),
                              spoken_chance(order[i]->causes.front().probability)));
  if (d.clean()) w.highlight("Nothing was found wrong that these takes could show.");
  const std::size_t left = full || order.size() < kMost ? 0 : order.size() - kMost;
  if (left > 0) table.caption += fmt::format(" {} more stand in the case itself.", left);
  w.table(std::move(table));
  for (std::size_t i = 0; i < order.size() && (full || i < kMost); ++i) {
    const Finding& f = *order[i];
    if (f.causes.empty()) continue;
    const std::string key = fmt::format("case.{}", i + 1);
    if (full) {
      w.say(key + ".place", place_of(f) + ".");
      for (std::size_t c = 0; c < f.causes.size(); ++c)
        put_full(w, fmt::format("{}.cause.{}", key, c + 1), f.causes[c]);
    } else {
      w.say(key,
            fmt::format(
                "{}: {}, {}{}.", place_of(f), spoken_cause(f.causes.front().cause),
                spoken_chance(f.causes.front().probability),
                f.causes.front().evidence.empty() ? "" : ": " + f.causes.front().evidence.front()));
    }
    if (f.causes.front().probability > 0.5)
      w.say(key + ".remedy", remedy_of(f.causes.front().cause));
  }
  for (std::size_t i = 0; i < d.overall.size(); ++i)
    if (full || d.overall[i].probability > 0.5)
      put_full(w, fmt::format("case.overall.{}", i + 1), d.overall[i]);
  if (!d.next_step.empty()) w.say("case.next", "What would tell most next: " + d.next_step);
  w.end();
}

}  // namespace lalometer::sections
