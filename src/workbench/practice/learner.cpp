#include "workbench/practice/learner.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "diagnosis/finding.h"
#include "workbench/practice/practice_cases.h"

namespace lalometer {
namespace {

constexpr std::array kEdges = {0, 40, 60, 80, 101};
/// Below this many verdicts nothing is said about how sure somebody is.
constexpr int kEnough = 5;

}  // namespace

LearnerRecord learner_record(const Book& book) {
  LearnerRecord record;
  std::array<LearnerRecord::Band, kEdges.size() - 1> bands;
  for (std::size_t b = 0; b < bands.size(); ++b)
    bands[b] = {kEdges[b], std::min(kEdges[b + 1], 100), 0, 0};
  std::map<std::string, LearnerRecord::Cause> causes;
  double said = 0.0;
  int said_right = 0;
  const auto subjects = book.subjects();
  if (!subjects) return record;
  for (const Subject& subject : *subjects) {
    const CaseState state = case_state(book, subject.id);
    const PracticeCase* one = practice_case(state.case_id);
    if (one == nullptr || !state.verdict) continue;
    const bool right = judged(*one, state.verdict->causes).right;
    ++record.given;
    record.right += right ? 1 : 0;
    const auto& named = state.verdict->causes;
    for (const std::string& cause : one->causes) {
      LearnerRecord::Cause& c = causes[cause];
      c.cause = cause;
      ++c.there;
      c.named += std::find(named.begin(), named.end(), cause) != named.end() ? 1 : 0;
    }
    const int sure = state.verdict->sure_percent;
    if (sure <= 0) continue;
    ++record.with_sureness;
    said += sure / 100.0;
    said_right += right ? 1 : 0;
    for (std::size_t b = 0; b < bands.size(); ++b)
      if (sure >= kEdges[b] && sure < kEdges[b + 1]) {
        ++bands[b].given;
        bands[b].right += right ? 1 : 0;
      }
  }
  if (record.with_sureness > 0)
    record.surer_than_right = (said - said_right) / record.with_sureness;
  for (const LearnerRecord::Band& band : bands)
    if (band.given > 0) record.bands.push_back(band);
  for (const auto& [word, c] : causes)
    if (c.named < c.there) record.missed.push_back(c);
  std::stable_sort(record.missed.begin(), record.missed.end(), [](const auto& a, const auto& b) {
    return a.there - a.named > b.there - b.named;
  });
  return record;
}

std::string told(const LearnerRecord& record) {
  if (record.given == 0) return {};
  std::string text = fmt::format("You were right in {} of {}.", record.right, record.given);
  for (auto band = record.bands.rbegin(); band != record.bands.rend(); ++band)
    text += fmt::format(" {} to {} % sure: {} of {}.", band->from_percent, band->to_percent,
                        band->right, band->given);
  const double off = 100.0 * record.surer_than_right;
  if (record.with_sureness >= kEnough && std::abs(off) >= 5.0)
    text += fmt::format(" On the whole {:.0f} points {} than right.", std::abs(off),
                        off > 0.0 ? "surer" : "less sure");
  if (!record.missed.empty() && record.given >= kEnough)
    text += fmt::format(" Oftenest missed: {} ({} of {} named).",
                        spoken_cause(record.missed.front().cause), record.missed.front().named,
                        record.missed.front().there);
  return text;
}

}  // namespace lalometer
