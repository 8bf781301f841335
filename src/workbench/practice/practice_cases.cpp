#include "workbench/practice/practice_cases.h"

#include <fmt/format.h>

#include <algorithm>
#include <random>

#include "base/hash.h"
#include "workbench/keeping/practice_keeping.h"
#include "workbench/practice/files/case_list.h"
#include "workbench/practice/files/simulation_file.h"

namespace lalometer {
namespace {

Result<void> keep_state(Book& book, Id subject, const PracticeCase& one,
                        const std::string& verdict) {
  return book.set_document(subject, "practice", to_json(CaseState{one.id, verdict}),
                           "Give a verdict");
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

const PracticeCase* practice_case(const std::string& id) {
  for (const PracticeCase& one : practice_cases())
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
        return keep_state(book, first.subject_id, one, "").map([&] {
          return OpenedCase{first.subject_id, ids};
        });
      });
    });
  });
}

Verdict judged(const PracticeCase& one, const std::string& cause) {
  const bool right = cause == one.cause;
  return {right, fmt::format("{} {}",
                             right ? "Right."
                                   : fmt::format("Not quite: it is {}.", spoken_cause(one.cause)),
                             one.explanation)};
}

Result<void> keep_verdict(Book& book, Id subject, const PracticeCase& one,
                          const std::string& cause) {
  const Verdict verdict = judged(one, cause);
  return book.together<void>("Give a verdict", [&] {
    return keep_state(book, subject, one, cause)
        .and_then([&] { return book.note(subject); })
        .and_then([&](const std::string& note) {
          return book.set_note(subject,
                               fmt::format("{}{}Verdict: {}. {}", note, note.empty() ? "" : "\n\n",
                                           spoken_cause(cause), verdict.text));
        });
  });
}

CaseState case_state(const Book& book, Id subject) {
  return case_state_from_json(book.document(subject, "practice"));
}

}  // namespace lalometer
