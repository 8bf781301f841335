#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace lalometer {

/// A cause of a finding, by the product's word list, with what speaks for and against it.
struct FindingCause {
  std::string cause;
  double probability = 0.0;
  std::vector<std::string> evidence = {};
  std::vector<std::string> against = {};
  /// The takes that a sentence of either is told by, where it is told by some of them.
  std::map<std::string, std::vector<std::int64_t>> told_by = {};
  /// Takes that show it, where the cause has no place of its own.
  std::vector<std::int64_t> shown_by = {};
  std::string variant = {};  ///< as Finding::variant, where the cause has no place of its own
};

enum class FindingShape { kDip, kPeak, kStep, kRipple, kWiggle };
enum class FindingSeverity { kNone, kMinor, kAudible, kSevere };
/// "edge-diffraction" for a reader: "edge diffraction".
[[nodiscard]] std::string spoken_cause(const std::string& cause);
/// "71 %"; nothing is certain: "over 99 %".
[[nodiscard]] std::string spoken_chance(double probability);
[[nodiscard]] const char* word_of(FindingShape shape);
[[nodiscard]] const char* word_of(FindingSeverity severity);

/// Something that was seen at a place, most probable cause first.
struct Finding {
  double frequency_hz = 0.0, low_hz = 0.0, high_hz = 0.0;
  FindingShape shape = FindingShape::kDip;
  double size_db = 0.0;  ///< below 0: a dip
  std::vector<FindingCause> causes = {};
  FindingSeverity severity = FindingSeverity::kNone;
  bool correctable_by_eq = false;
  std::string next_step = {};
  /// Code of the take that this asks for (next_step.h); empty: it is no take.
  std::string next_take = {};
  /// Takes that show it, the most telling first (ids of the material's takes).
  std::vector<std::int64_t> shown_by = {};
  /// Where not the variant with most takes has it: the name of the one that does.
  std::string variant = {};
};

/// Findings that have a place, and causes that have none.
struct Diagnosis {
  std::vector<Finding> findings = {};
  std::vector<FindingCause> overall = {};
  std::vector<std::string> notes = {};
  /// The take that would tell most of the whole case (NextTake), findings or none; empty: all that
  /// would tell something are there.
  std::string next_step = {};
  std::string next_take = {};
  /// No cause is more likely than not.
  [[nodiscard]] bool clean() const;
};

}  // namespace lalometer
