#include "workbench/diagnosing/case_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"

namespace lalometer {
namespace {

constexpr const char* kVerdicts[] = {"none", "agreed", "doubted", "dismissed"};
constexpr double kWithin = 0.06;
constexpr double kMoved = 0.1;
/// Below, nobody is told of a finding's going.
constexpr double kCounted = 0.3;

std::string percent(double p) {
  return fmt::format("{:.0f} %", 100.0 * p);
}

}  // namespace

const char* word_of(CaseVerdict verdict) {
  return kVerdicts[static_cast<std::size_t>(verdict)];
}

bool FindingPlace::same(const FindingPlace& other) const {
  if (split_off != other.split_off || variant != other.variant) return false;
  if (at_hz <= 0.0 || other.at_hz <= 0.0)
    return at_hz <= 0.0 && other.at_hz <= 0.0 && cause == other.cause;
  return shape == other.shape && std::abs(std::log(at_hz / other.at_hz)) < kWithin;
}

std::string spoken_place(const FindingPlace& p) {
  std::string text = p.at_hz <= 0.0 ? spoken_cause(p.cause)
                                    : fmt::format("the {} at {}", p.shape, frequency_text(p.at_hz));
  if (!p.variant.empty()) text += fmt::format(" in “{}”", p.variant);
  if (!p.split_off.empty()) text += fmt::format(" ({})", spoken_cause(p.split_off));
  return text;
}

FindingPlace place_of(const Finding& f) {
  return {f.frequency_hz, word_of(f.shape), f.causes.empty() ? "" : f.causes.front().cause,
          f.variant};
}

FindingPlace place_of(const FindingCause& overall) {
  return {0.0, "", overall.cause, overall.variant};
}

const KeptVerdict* CaseFile::verdict_on(const FindingPlace& place) const {
  for (const KeptVerdict& v : verdicts)
    if (v.place.same(place)) return &v;
  return nullptr;
}

void CaseFile::give(const KeptVerdict& verdict) {
  std::erase_if(verdicts, [&](const KeptVerdict& v) { return v.place.same(verdict.place); });
  if (verdict.verdict != CaseVerdict::kNone) verdicts.push_back(verdict);
}

void CaseFile::merge(const FindingPlace& into, const FindingPlace& part) {
  if (into.same(part)) return;
  for (Merge& m : merges)
    if (m.into.same(part)) m.into = into;
  std::erase_if(merges, [&](const Merge& m) { return m.part.same(part) || m.part.same(m.into); });
  merges.push_back({into, part});
}

void CaseFile::split(const FindingPlace& place, const std::string& cause) {
  std::erase_if(splits, [&](const Split& s) { return s.of.same(place) && s.cause == cause; });
  splits.push_back({place, cause});
}

void CaseFile::as_found(const FindingPlace& place) {
  FindingPlace whole = place;
  whole.split_off.clear();
  std::erase_if(merges, [&](const Merge& m) { return m.into.same(place) || m.part.same(place); });
  std::erase_if(splits, [&](const Split& s) {
    return s.of.same(whole) && (place.split_off.empty() || s.cause == place.split_off);
  });
}

std::vector<SeenFinding> seen_of(const Diagnosis& d) {
  std::vector<SeenFinding> all;
  for (const Finding& f : d.findings)
    if (!f.causes.empty()) all.push_back({place_of(f), f.causes.front().probability, f.size_db});
  for (const FindingCause& c : d.overall) all.push_back({place_of(c), c.probability, 0.0});
  return all;
}

std::vector<std::string> changes_between(const std::vector<SeenFinding>& before,
                                         const Diagnosis& diagnosis) {
  const std::vector<SeenFinding> now = seen_of(diagnosis);
  const auto same_in = [](const std::vector<SeenFinding>& all, const SeenFinding& one) {
    const auto found = std::find_if(all.begin(), all.end(), [&](const SeenFinding& other) {
      return other.place.same(one.place);
    });
    return found == all.end() ? nullptr : &*found;
  };
  std::vector<std::string> told;
  for (const SeenFinding& was : before) {
    if (was.probability < kCounted || same_in(now, was) != nullptr) continue;
    told.push_back(fmt::format("Gone: {} ({}, {} before).", spoken_place(was.place),
                               spoken_cause(was.place.cause), percent(was.probability)));
  }
  for (const SeenFinding& is : now) {
    const SeenFinding* was = same_in(before, is);
    const std::string cause = spoken_cause(is.place.cause);
    if (was == nullptr) {
      if (is.probability >= kCounted)
        told.push_back(is.place.at_hz > 0.0
                           ? fmt::format("New: {}, {} {}.", spoken_place(is.place), cause,
                                         percent(is.probability))
                           : fmt::format("New: {} {}.", cause, percent(is.probability)));
    } else if (was->place.cause != is.place.cause) {
      if (std::max(was->probability, is.probability) >= kCounted)
        told.push_back(fmt::format("For {} now {} {}, before {} {}.", spoken_place(is.place), cause,
                                   percent(is.probability), spoken_cause(was->place.cause),
                                   percent(was->probability)));
    } else if (std::abs(was->probability - is.probability) >= kMoved) {
      const std::string where = is.place.at_hz > 0.0 ? ", " + spoken_place(is.place) : "";
      told.push_back(fmt::format("{}{}: {} to {}.", cause, where, percent(was->probability),
                                 percent(is.probability)));
    }
  }
  for (std::string& each : told) each = capitalised(std::move(each));
  return told;
}

}  // namespace lalometer
