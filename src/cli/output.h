#pragma once

#include <fmt/format.h>
#include <unistd.h>

#include <CLI/CLI.hpp>
#include <limits>
#include <optional>
#include <ostream>

#include "base/log.h"
#include "base/progress.h"
#include "base/result.h"
#include "base/work_owner.h"
#include "workbench/sharing/sources.h"
#include "workbench/telling/told.h"

/// What all commands share: where they print, how they fail.
namespace lalometer {

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
  log_line(LogWeight::kTrouble, error.text());
  return kUnusable;
}

/// What a command was given, read on all cores.
inline ImportPreview read_for(const Doors& doors, const std::filesystem::path& path,
                              const ImportChoices& choices = {}) {
  return read_source(path, choices, doors.choice, {}, {}, on_threads());
}

/// A progress line on standard error, only where somebody sees it.
inline Progress terminal_progress(const char* what) {
  if (isatty(STDERR_FILENO) == 0) return {};
  return [what](double done) {
    fmt::print(stderr, "\r{} {:3.0f} %{}", what, 100.0 * done, done >= 1.0 ? "\n" : "");
  };
}

/// A result as the caller wants it.
inline int print(const Doors& doors, const Told& told) {
  if (doors.json)
    doors.out << json_text(told) << '\n';
  else
    doors.out << table_text(told);
  return kDone;
}

/// "--take", "--subject", "--variant": which part of a book a command is about.
inline void add_source_options(CLI::App& command, SourceChoice& choice) {
  command.add_option("--take", choice.take, "of a book: id of one take")
      ->check(CLI::Range(Id{1}, std::numeric_limits<Id>::max()));
  command.add_option("--subject", choice.subject, "of a book: name of the subject");
  command.add_option("--variant", choice.variant, "of a book: name of the variant");
}

}  // namespace lalometer
