#pragma once

#include <optional>
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
  int grade = 1;  ///< 1: at first sight .. 4: needs several takes and a calculation; 0: not said
  std::string story;                 ///< what its owner says
  std::string plan_json;             ///< for simulation_plan_of(): subject, faults, takes
  std::vector<std::string> offered;  ///< causes to choose from, words of the product's list
  std::vector<std::string> causes;   ///< the true ones; empty: nothing is wrong with it
  std::string explanation;           ///< where it shows and why it is that
  double mark_hz = 0.0;              ///< where to look; 0: everywhere
  bool several = false;              ///< a verdict may name several causes, or none
};
/// The workshop's own, easier ones first.
[[nodiscard]] const std::vector<PracticeCase>& practice_cases();
/// Thirty drawn by lot, with one fault, two or none; made once for each seed.
/// @param seed  1 .. 9999
[[nodiscard]] const std::vector<PracticeCase>& drawn_cases(int seed);
/// Of either; null where there is none of that id.
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

/// What somebody says of a case before the truth is told.
struct GivenVerdict {
  std::vector<std::string> causes;  ///< empty: nothing is wrong with it
  int sure_percent = 0;             ///< how likely it is right, as said; 0: not said
};
struct Verdict {
  bool right = false;  ///< all of it, and nothing else
  std::string text;    ///< "Right. ..." or "Not quite: ...", then the explanation
};
[[nodiscard]] Verdict judged(const PracticeCase& one, const std::vector<std::string>& causes);
/// Keeps a verdict with the subject, and in its note what became of it.
[[nodiscard]] Result<void> keep_verdict(Book& book, Id subject, const PracticeCase& one,
                                        const GivenVerdict& given);
/// The case a subject belongs to, and the verdict that was given.
struct CaseState {
  std::string case_id;  ///< empty: no practice case
  std::optional<GivenVerdict> verdict;
};
[[nodiscard]] CaseState case_state(const Book& book, Id subject);

}  // namespace lalometer
