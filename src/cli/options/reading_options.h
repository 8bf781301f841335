#pragma once

#include <CLI/CLI.hpp>
#include <string>
#include <vector>

#include "workbench/sharing/importing.h"

namespace lalometer {

/// How files that do not tell it themselves are read.
struct ReadingOptions {
  std::string kind;
  /// Start, stop, duration, lead-in of a bare recorded sweep; then repeats and period.
  std::vector<double> stimulus;
  bool chirps = false;
  double chirp_distance_m = 0.0;
  int sweep = 0;
  int channel = 0;
  int loopback_channel = -1;
};
void add_reading_options(CLI::App& command, ReadingOptions& options);
/// The same without what is about text files.
void add_sound_options(CLI::App& command, ReadingOptions& options);
/// Throws CLI::ValidationError where the numbers do not fit one another.
[[nodiscard]] ImportChoices choices_of(const ReadingOptions& options);

}  // namespace lalometer
