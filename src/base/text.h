#pragma once

#include <optional>
#include <string>
#include <string_view>

/// Numbers as text, never touched by the locale.
namespace lalometer {

/// Shortest decimal text that reads back as the same double. NaN and infinities give "nan", "inf".
[[nodiscard]] std::string shortest(double value);

/// A whole text as one number ("1e3", "+4.5", "-2"), or nothing. Accepts what from_chars accepts
/// plus a leading '+'; "nan" and "inf" are read as such, so that the caller can name them as an
/// error.
[[nodiscard]] std::optional<double> parse_number(std::string_view text);

/// A number with an SI-sensible digit count for messages: 222.2 -> "222", 41.27 -> "41.3".
[[nodiscard]] std::string three_digits(double value);

/// A frequency for people: "222 Hz", "2.28 kHz".
[[nodiscard]] std::string frequency_text(double frequency_hz);

/// Its first letter large, where it is one of ASCII.
[[nodiscard]] std::string capitalised(std::string text);

}  // namespace lalometer
