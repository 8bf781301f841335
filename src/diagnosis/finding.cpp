#include "diagnosis/finding.h"

#include <fmt/format.h>

#include <algorithm>

namespace lalometer {

std::string spoken_cause(const std::string& cause) {
  std::string text = cause;
  std::replace(text.begin(), text.end(), '-', ' ');
  return text;
}

std::string spoken_chance(double p) {
  return p > 0.99 ? "over 99 %" : fmt::format("{:.0f} %", 100.0 * p);
}

const char* word_of(FindingShape shape) {
  constexpr const char* kWords[] = {"dip", "peak", "step", "ripple", "wiggle"};
  return kWords[static_cast<std::size_t>(shape)];
}

const char* word_of(FindingSeverity severity) {
  constexpr const char* kWords[] = {"none", "minor", "audible", "severe"};
  return kWords[static_cast<std::size_t>(severity)];
}

}  // namespace lalometer
