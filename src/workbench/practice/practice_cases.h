#pragma once

#include <string>
#include <vector>

#include "book/book.h"
#include "diagnosis/finding.h"
#include "workbench/practice/simulating.h"
#include "workbench/sharing/importing.h"

/// Mystery loudspeakers: taken on the practice bench with something wrong (or nothing), whose truth
/// is told only after a verdict.
namespace lalometer {

struct PracticeCase {
  std::string id;  ///< kept in the book
  std::string title;
  int grade = 1;          ///< 1: at first sight .. 4: needs several takes and a calculation
  std::string story;      ///< what its owner says
  std::string plan_json;  ///< for simulation_plan_of(): subject, faults, takes
  std::vector<std::string> offered;  ///< causes to choose from, words of the product's list
  std::string cause;                 ///< the true one
  std::string explanation;           ///< where it shows and why it is that
  double mark_hz = 0.0;              ///< where to look; 0: everywhere
};
[[nodiscard]] const std::vector<PracticeCase>& practice_cases();
[[nodiscard]] const PracticeCase* practice_case(const std::string& id);

/// Makes the case's takes on the practice bench. The same case gives the same takes on every
/// machine.
[[nodiscard]] Result<ImportPreview> case_takes(const PracticeCase& one, std::stop_token stop,
                                               const Progress& progress,
                                               const Parallel& parallel = in_turn);
struct OpenedCase {
  Id subject = 0;
  std::vector<Id> takes;
};
/// Puts them into the book as a new subject of the case's title, as one step of undo. Nothing that
/// tells the truth goes into the book.
[[nodiscard]] Result<OpenedCase> keep_case(Book& book, const PracticeCase& one,
                                           const ImportPreview& takes);

/// Keeps a verdict with the subject (in its note), and says what became of it.
struct Verdict {
  bool right = false;
  std::string text;  ///< "Right: ..." or "Not quite: ...", then the explanation
};
[[nodiscard]] Verdict judged(const PracticeCase& one, const std::string& cause);
[[nodiscard]] Result<void> keep_verdict(Book& book, Id subject, const PracticeCase& one,
                                        const std::string& cause);
/// The case a subject belongs to, and the verdict that was given; empty where none.
struct CaseState {
  std::string case_id;
  std::string verdict;
};
[[nodiscard]] CaseState case_state(const Book& book, Id subject);

}  // namespace lalometer
