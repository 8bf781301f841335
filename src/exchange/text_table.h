#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "base/result.h"

/// Text columns from anywhere: forgiving about form, strict about meaning (docs/file-formats.md).
namespace lalometer {

/// What the magnitude column holds; decides which values are absurd.
enum class ColumnKind {
  kResponse,     ///< dB, -300..250
  kImpedance,    ///< ohm, above 0, up to 1e6
  kCalibration,  ///< dB, -120..120
};

struct TableRow {
  std::size_t line;  ///< 1-based, in the file
  double frequency_hz;
  double magnitude;
  double phase_deg;  ///< 0 where the table has no phase
};

/// Rows with rising, distinct frequencies; at least two.
struct TextTable {
  std::vector<TableRow> rows;
  bool has_phase = false;
  std::vector<std::string> comments;  ///< comment and heading lines without their markers
  std::vector<std::string> notes;     ///< what was put right: sorted, averaged, columns ignored
};

/// Bytes to UTF-8. Understands UTF-8 with or without byte order mark, UTF-16 of either order (also
/// without mark, where every other byte is 0), and takes what is not valid UTF-8 as Latin-1. Binary
/// data is refused.
[[nodiscard]] Result<std::string> decoded_text(std::span<const std::byte> bytes,
                                               const std::string& file_name);

/// Frequency, magnitude and optional phase. Separators: blanks, tabs, commas, semicolons; decimal
/// commas where the separator is not a comma. Lines that start with * # ; " or // and, before the
/// first row, lines that do not start with a number are comments. Rows out of order are sorted,
/// repeated frequencies averaged, both said in notes. A missing or non-finite number, a frequency
/// not above 0, a row without phase among rows with one, an absurd magnitude, or fewer than two
/// rows is an error naming file, line and what was found.
[[nodiscard]] Result<TextTable> read_text_table(std::span<const std::byte> bytes,
                                                const std::string& file_name, ColumnKind kind);

}  // namespace lalometer
