#pragma once

#include <filesystem>
#include <string_view>

#include "base/result.h"

/// What the program did, for somebody who is asked why it did not: opened books, jobs and how they
/// ended, devices, errors. No measured data and no notes. Nothing is written before start_log().
namespace lalometer {

enum class LogWeight {
  kEvent,
  kTrouble,  ///< something did not work
};

/// Writes into this file from now on, beginning with version and system; a megabyte of it, and two
/// older ones beside it (".1", ".2"). An error where the file cannot be made.
[[nodiscard]] Result<void> start_log(const std::filesystem::path& file);
/// One line with its moment; of any thread.
void log_line(LogWeight weight, std::string_view text);
/// Where it goes; empty before start_log().
[[nodiscard]] std::filesystem::path log_file();

}  // namespace lalometer
