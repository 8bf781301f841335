#include "workbench/practice/practice_cases.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdio>
#include <map>
#include <mutex>
#include <random>
#include <set>

#include "base/hash.h"
#include "workbench/keeping/practice_keeping.h"
#include "workbench/practice/files/case_list.h"
#include "workbench/practice/files/drawn_cases.h"
#include "workbench/practice/files/simulation_file.h"

namespace lalometer {
namespace {

constexpr int kMostSeed = 9999;

Result<void> keep_state(Book& book, Id subject, const CaseState& state) {
  return book.set_document(subject, "practice", to_json(state), "Give a verdict");
}

std::string spoken(const std::vector<std::string>& causes) {
  if (causes.empty()) return "nothing is wrong";
  std::string text;
  for (std::size_t i = 0; i < causes.size(); ++i)
    text += (i == 0 ? "" : i + 1 == causes.size() ? " and " : ", ") + spoken_cause(causes[i]);
  return text;
}

/// A folder that goes when it is done with.
class Scratch {
 public:
  Scratch()
      : path_(std::filesystem::temp_directory_path() /
              fmt::format("lalometer-case-{:08x}", std::random_device{}())) {}
  ~Scratch() {
    std::error_code ignored;
    std::filesystem::remove_all(path_, ignored);
  }
  Scratch(const Scratch&) = delete;
  Scratch& operator=(const Scratch&) = delete;
  [[nodiscard]] const std::filesystem::path& path() const { return path_; }

 private:
  std::filesystem::path path_;
};

}  // namespace

const std::vector<PracticeCase>& practice_cases() {
  static const std::vector<PracticeCase> cases = case_list();
  return cases;
}

const std::vector<PracticeCase>& drawn_cases(int seed) {
  static std::mutex guard;
  static std::map<int, std::vector<PracticeCase>> drawn;  // its places stay as it grows
  const std::lock_guard lock(guard);
  const auto found = drawn.find(seed);
  return found != drawn.end() ? found->second
                              : drawn.emplace(seed, drawn_case_list(seed)).first->second;
}

const PracticeCase* practice_case(const std::string& id) {
  int seed = 0;
  int number = 0;
  const bool by_lot = std::sscanf(id.c_str(), "drawn-%d-%d", &seed, &number) == 2;
  if (by_lot && (seed < 1 || seed > kMostSeed)) return nullptr;
  for (const PracticeCase& one : by_lot ? drawn_cases(seed) : practice_cases())
    if (one.id == id) return &one;
  return nullptr;
}

Result<ImportPreview> case_takes(const PracticeCase& one, std::stop_token stop,
                                 const Progress& progress, const Parallel& parallel) {
  auto planned = simulation_plan_of(one.plan_json, one.title, fnv1a(one.id));
  if (!planned) return tl::unexpected(planned.error());
  planned->name = one.title;
  const auto most = [&](double share) {
    if (progress) progress(0.8 * share);
  };
  const Scratch scratch;
  return simulated(*planned, stop, most, parallel)
      .and_then([&](const Simulation& s) { return write_set(s.set, scratch.path()); })
      .and_then([&]() -> Result<ImportPreview> {
        ImportPreview preview = preview_import({scratch.path()}, {}, stop);
        if (stop.stop_requested()) return cancelled();
        for (const Error& problem : preview.problems) return tl::unexpected(problem);
        return preview;
      });
}

Result<OpenedCase> keep_case(Book& book, const PracticeCase& one, const ImportPreview& takes) {
  return book.together<OpenedCase>("Open a practice case", [&] {
    return take_in(book, takes, {}).and_then([&](const std::vector<Id>& ids) {
      return book.take(ids.front()).and_then([&](const Take& first) {
        return keep_state(book, first.subject_id, {one.id, std::nullopt}).map([&] {
          return OpenedCase{first.subject_id, ids};
        });
      });
    });
  });
}

Verdict judged(const PracticeCase& one, const std::vector<std::string>& causes) {
  const std::set<std::string> said(causes.begin(), causes.end());
  const std::set<std::string> truth(one.causes.begin(), one.causes.end());
  if (said == truth) return {true, "Right. " + one.explanation};
  const std::string is = one.causes.empty() ? spoken({}) : "it is " + spoken(one.causes);
  const bool partly = std::any_of(said.begin(), said.end(),
                                  [&](const std::string& cause) { return truth.contains(cause); });
  return {false, fmt::format("{}: {}. {}", partly ? "Partly" : "Not quite", is, one.explanation)};
}

Result<void> keep_verdict(Book& book, Id subject, const PracticeCase& one,
                          const GivenVerdict& given) {
  const Verdict verdict = judged(one, given.causes);
  const std::string sure =
      given.sure_percent > 0 ? fmt::format(" ({} % sure)", given.sure_percent) : "";
  return book.together<void>("Give a verdict", [&] {
    return keep_state(book, subject, {one.id, given})
        .and_then([&] { return book.note(subject); })
        .and_then([&](const std::string& note) {
          return book.set_note(
              subject, fmt::format("{}{}Verdict: {}{}. {}", note, note.empty() ? "" : "\n\n",
                                   spoken(given.causes), sure, verdict.text));
        });
  });
}

CaseState case_state(const Book& book, Id subject) {
  return case_state_from_json(book.document(subject, "practice"));
}

}  // namespace lalometer
