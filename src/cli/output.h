#pragma once

#include <fmt/format.h>
#include <unistd.h>

#include <CLI/CLI.hpp>
#include <cmath>
#include <limits>
#include <map>
#include <nlohmann/json.hpp>
#include <optional>
#include <ostream>

#include "base/progress.h"
#include "base/result.h"
#include "base/text.h"
#include "workbench/results/impedance_reading.h"
#include "workbench/sharing/sources.h"

/// What all commands share: where they print, how they fail.
namespace lalometer {

using OrderedJson = nlohmann::ordered_json;

inline constexpr int kDone = 0;
inline constexpr int kWrongUsage = 2;
inline constexpr int kUnusable = 3;

struct Doors {
  std::ostream& out;
  std::ostream& err;
  bool json = false;
  SourceChoice choice = {};
};

inline int refuse(const Doors& doors, const Error& error) {
  doors.err << error.text() << '\n';
  return kUnusable;
}

/// A progress line on standard error, only where somebody sees it.
inline Progress terminal_progress(const char* what) {
  if (isatty(STDERR_FILENO) == 0) return {};
  return [what](double done) {
    fmt::print(stderr, "\r{} {:3.0f} %{}", what, 100.0 * done, done >= 1.0 ? "\n" : "");
  };
}

inline OrderedJson number_or_null(const std::optional<double>& value) {
  return value && std::isfinite(*value) ? OrderedJson(*value) : OrderedJson(nullptr);
}

inline void print_notes(std::ostream& out, const OrderedJson& json) {
  for (const auto& note : json["notes"]) out << "note: " << note.get<std::string>() << '\n';
}

/// The unit that a key of the contract ends with; empty where it names none.
inline std::string unit_of(const std::string& key) {
  static const std::map<std::string, std::string> units = {
      {"hz", "Hz"}, {"ohm", "ohm"}, {"percent", "%"}, {"mm", "mm"}, {"cm", "cm"}, {"l", "l"},
      {"db", "dB"}, {"w", "W"},     {"v", "V"},       {"m", "m"},   {"g", "g"},   {"s", "s"}};
  const auto found = units.find(key.substr(key.rfind('_') + 1));
  return key.find('_') == std::string::npos || found == units.end() ? "" : found->second;
}

/// The numbers of an object's first level, one a line, with unit, and with the half-width of the
/// 95 % interval where the object tells it under "uncertainty".
inline void print_figures(std::ostream& out, const OrderedJson& json) {
  for (const auto& [key, value] : json.items()) {
    if (!value.is_number()) continue;
    const bool known = json.contains("uncertainty") && json["uncertainty"].contains(key) &&
                       json["uncertainty"][key].is_number();
    const Estimate estimate{value.get<double>(),
                            known ? json["uncertainty"][key].get<double>() : 0.0};
    out << fmt::format("{:<24} {}\n", key, with_uncertainty(estimate, unit_of(key)));
  }
}

/// "--take", "--subject", "--variant": which part of a book a command is about.
inline void add_source_options(CLI::App& command, SourceChoice& choice) {
  command.add_option("--take", choice.take, "of a book: id of one take")
      ->check(CLI::Range(Id{1}, std::numeric_limits<Id>::max()));
  command.add_option("--subject", choice.subject, "of a book: name of the subject");
  command.add_option("--variant", choice.variant, "of a book: name of the variant");
}

}  // namespace lalometer
