#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "diagnosis/finding.h"
#include "diagnosis/view/told_by.h"
#include "diagnosis/view/view.h"

namespace lalometer {

/// One cause's account of what was seen: how the odds stand after each piece of evidence.
class Claim {
 public:
  /// @param prior  odds before anything was looked at, against an ordinary loudspeaker.
  explicit Claim(double prior) : log_odds_(std::log(prior)) {}

  /// A piece of evidence: how much likelier it is under this cause than without it, and which takes
  /// tell it.
  Claim& saw(double ratio, std::string text, ToldBy by = ToldBy::kNoTake) {
    log_odds_ += std::log(ratio);
    if (by != ToldBy::kNoTake) told_by_[text] = by;
    (ratio >= 1.0 ? evidence_ : against_).push_back(std::move(text));
    return *this;
  }
  /// The same, told by these takes themselves.
  Claim& saw(double ratio, std::string text, std::vector<std::int64_t> takes) {
    told_by_takes_[text] = std::move(takes);
    return saw(ratio, std::move(text));
  }
  [[nodiscard]] double odds() const { return std::exp(log_odds_); }
  [[nodiscard]] const std::vector<std::string>& evidence() const { return evidence_; }
  [[nodiscard]] const std::vector<std::string>& against() const { return against_; }
  /// By sentence.
  [[nodiscard]] const std::map<std::string, ToldBy>& told_by() const { return told_by_; }
  [[nodiscard]] const std::map<std::string, std::vector<std::int64_t>>& told_by_takes() const {
    return told_by_takes_;
  }

  /// The feature or the wiggle that it explains, by its place in the view; neither: the whole.
  std::optional<std::size_t> feature = std::nullopt;
  std::optional<std::size_t> wiggle = std::nullopt;
  /// Claims of one group explain one thing, and compete; empty: it stands alone.
  std::string group = {};
  /// Where neither stands there, but a place is known.
  double at_hz = 0.0, low_hz = 0.0, high_hz = 0.0;
  double size_db = 0.0;
  FindingShape shape = FindingShape::kDip;
  bool equalise = false;
  std::string next_step = {};

 private:
  double log_odds_;
  std::vector<std::string> evidence_;
  std::vector<std::string> against_;
  std::map<std::string, ToldBy> told_by_;
  std::map<std::string, std::vector<std::int64_t>> told_by_takes_;
};

/// A ratio that goes from one value at x0 to another at x1, evenly in its logarithm; beyond, the
/// ends' own.
[[nodiscard]] inline double graded(double x, double x0, double at_x0, double x1, double at_x1) {
  const double share = std::clamp((x - x0) / (x1 - x0), 0.0, 1.0);
  return at_x0 * std::pow(at_x1 / at_x0, share);
}

/// A cause: its word, and what it has to say of a case.
struct Cause {
  const char* word;
  std::vector<Claim> (*claims)(const CaseView& view);
};

}  // namespace lalometer
