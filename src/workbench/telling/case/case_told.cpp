#include "workbench/telling/case/case_told.h"

#include <fmt/format.h>

#include "base/text.h"
#include "diagnosis/remedies.h"

namespace lalometer {
namespace {

Told told_of(const FindingCause& c, bool with_against) {
  Told told;
  told.put("cause", c.cause).put("probability", c.probability);
  told.put("evidence", Told::Value(c.evidence));
  if (with_against) told.put("against", Told::Value(c.against));
  if (!c.variant.empty()) told.put("variant", c.variant);
  return told;
}

std::string spoken(const FindingCause& c) {
  std::string text = fmt::format("{} {}", c.cause, spoken_chance(c.probability));
  if (!c.variant.empty()) text += fmt::format(" in “{}”", c.variant);
  const auto list = [&](const char* lead, const std::vector<std::string>& all) {
    for (std::size_t i = 0; i < all.size(); ++i) text += (i == 0 ? lead : "; ") + all[i];
  };
  list(": ", c.evidence);
  list("; but: ", c.against);
  return text;
}

/// A line a finding, for a reader.
std::vector<std::string> sentences(const Diagnosis& d) {
  std::vector<std::string> all;
  for (const Finding& f : d.findings) {
    std::string text = fmt::format("{} at {} ({:+.1f} dB)", word_of(f.shape),
                                   frequency_text(f.frequency_hz), f.size_db);
    if (!f.variant.empty()) text += fmt::format(" in “{}”", f.variant);
    for (const FindingCause& c : f.causes) text += ". " + spoken(c);
    if (!f.causes.empty() && f.causes.front().probability > 0.5)
      text += ". Remedy: " + remedy_of(f.causes.front().cause);
    all.push_back(text + (text.back() == '.' ? " Next: " : ". Next: ") + f.next_step);
  }
  for (const FindingCause& c : d.overall) all.push_back(spoken(c));
  return all;
}

}  // namespace

Told told_of(const Diagnosis& d) {
  std::vector<Told> findings;
  for (const Finding& f : d.findings) {
    Told row;
    row.put("frequency_hz", f.frequency_hz).put("low_hz", f.low_hz).put("high_hz", f.high_hz);
    row.put("shape", word_of(f.shape)).put("size_db", f.size_db);
    std::vector<Told> causes;
    for (const FindingCause& c : f.causes) causes.push_back(told_of(c, true));
    row.put("causes", Told::Value(std::move(causes)));
    row.put("severity", word_of(f.severity)).put("correctable_by_eq", f.correctable_by_eq);
    row.put("next_step", f.next_step);
    if (!f.variant.empty()) row.put("variant", f.variant);
    row.put("remedy", f.causes.empty() ? std::string() : remedy_of(f.causes.front().cause));
    findings.push_back(std::move(row));
  }
  std::vector<Told> overall;
  for (const FindingCause& c : d.overall) overall.push_back(told_of(c, true));
  Told told;
  told.put("findings", Told::Value(std::move(findings)));
  told.put("overall", Told::Value(std::move(overall)));
  told.put("clean", d.clean()).put("next_step", d.next_step);
  return std::move(told.notes(d.notes).notes(sentences(d)));
}

}  // namespace lalometer
