#pragma once

#include <optional>
#include <string>
#include <vector>

#include "diagnosis/finding.h"

/// What the book keeps of a case beside its takes: the tester's verdicts, and what was found last,
/// so that a new take's effect can be said.
namespace lalometer {

enum class CaseVerdict { kNone, kAgreed, kDoubted, kDismissed };
[[nodiscard]] const char* word_of(CaseVerdict verdict);

/// A finding by what stays the same when data is added: its place and shape, or its cause where it
/// has no place.
struct FindingPlace {
  double at_hz = 0.0;  ///< 0: it has none
  std::string shape = {};
  std::string cause = {};      ///< the most probable one; tells findings apart only without a place
  std::string variant = {};    ///< as Finding::variant
  std::string split_off = {};  ///< the cause that the tester split off as a finding of its own
  /// Within 6 %, a dip is no peak.
  [[nodiscard]] bool same(const FindingPlace& other) const;
};
/// "the dip at 3.1 kHz", or the cause where there is no place.
[[nodiscard]] std::string spoken_place(const FindingPlace& place);
[[nodiscard]] FindingPlace place_of(const Finding& finding);
[[nodiscard]] FindingPlace place_of(const FindingCause& overall);

struct KeptVerdict {
  FindingPlace place;
  CaseVerdict verdict = CaseVerdict::kNone;
  std::string reason = {};
  std::string date = {};  ///< UTC, "2026-03-01T09:30:00Z"
};

/// A finding as it stood.
struct SeenFinding {
  FindingPlace place;
  double probability = 0.0;  ///< of its most probable cause
  double size_db = 0.0;
};

struct CaseFile {
  std::vector<KeptVerdict> verdicts = {};
  /// What the tester says is one finding, and what is two.
  struct Merge {
    FindingPlace into, part;
  };
  struct Split {
    FindingPlace of;
    std::string cause;
  };
  std::vector<Merge> merges = {};
  std::vector<Split> splits = {};
  std::string of = {};  ///< key of the diagnosis that was seen last
  std::vector<SeenFinding> seen = {};
  std::vector<std::string> changes = {};  ///< what the latest takes changed, in sentences
  std::string changed_on = {};

  [[nodiscard]] const KeptVerdict* verdict_on(const FindingPlace& place) const;
  /// A verdict of kNone takes back what stood there.
  void give(const KeptVerdict& verdict);
  /// What was part of `part` goes along. One merged into itself stays as it is.
  void merge(const FindingPlace& into, const FindingPlace& part);
  void split(const FindingPlace& place, const std::string& cause);
  /// As it was found: what was merged into it or split from it, or it itself from another.
  void as_found(const FindingPlace& place);
};

/// The findings that stand above one half, or did.
[[nodiscard]] std::vector<SeenFinding> seen_of(const Diagnosis& diagnosis);
/// What differs, in sentences: gone, new, another cause, a probability that moved by 10 % and more.
[[nodiscard]] std::vector<std::string> changes_between(const std::vector<SeenFinding>& before,
                                                       const Diagnosis& now);

}  // namespace lalometer
