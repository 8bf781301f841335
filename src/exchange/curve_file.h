#pragma once

#include "acoustics/spectrum/response.h"
#include "exchange/text_table.h"

namespace lalometer {

/// Rows to a complex curve: dB to Pa (response) or to a ratio (calibration), ohm to ohm. Without
/// phase the values are real. Valid over its own axis, from `valid_from_hz` upward.
[[nodiscard]] Response curve_of(const TextTable& table, ColumnKind kind,
                                double valid_from_hz = 0.0);

/// A curve as text columns: comment lines starting with '*', then frequency, dB or ohm, and phase
/// in degrees where the curve has one; numbers in the shortest form that reads back the same.
[[nodiscard]] std::string curve_text(const Response& curve,
                                     const std::vector<std::string>& comments);

/// What a microphone's file tells of its sensitivity in a comment line that names it ("sens..."):
/// dB re full scale (rms of a full-scale sine) at 94 dB SPL, as microphones with their own
/// converter have it, or mV/Pa.
struct ToldSensitivity {
  std::optional<double> dbfs_at_94 = std::nullopt;
  std::optional<double> mv_per_pa = std::nullopt;
  std::string line;  ///< as it stands there
};
/// A line is understood where one number stands before dB (re full scale; re 1 V/Pa where the line
/// says V/Pa) or before mV/Pa (or mV); -100 to 20 dB
/// and 0.1 to 1000 mV/Pa are plausible. Two numbers before one unit: nothing.
[[nodiscard]] std::optional<ToldSensitivity> told_sensitivity(
    const std::vector<std::string>& comments);

/// What a text file holds, by its name's ending, its comment lines, then its numbers; nothing where
/// none of them tells and the user must.
[[nodiscard]] std::optional<ColumnKind> guessed_kind(const std::string& file_name,
                                                     const TextTable& table);

}  // namespace lalometer
