#include "base/text.h"

#include <fmt/format.h>

#include <array>
#include <charconv>
#include <cmath>

namespace lalometer {

std::string shortest(double value) {
  std::array<char, 40> buffer{};
  const auto [end, code] = std::to_chars(buffer.data(), buffer.data() + buffer.size(), value);
  return code == std::errc{} ? std::string(buffer.data(), end) : std::string();
}

std::optional<double> parse_number(std::string_view text) {
  if (!text.empty() && text.front() == '+') {
    text.remove_prefix(1);
    if (!text.empty() && (text.front() == '-' || text.front() == '+')) return std::nullopt;
  }
  double value = 0.0;
  const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (code != std::errc{} || end != text.data() + text.size() || text.empty()) return std::nullopt;
  return value;
}

std::string three_digits(double value) {
  if (!std::isfinite(value)) return "–";
  // What rounds up to 1, 10 or 100 gets the digits of what it becomes: 0.9997 is 1.00, not 1.
  const double magnitude = std::abs(value) * (1.0 + 5e-4);
  if (magnitude >= 100.0 || magnitude == 0.0) return fmt::format("{:.0f}", value);
  if (magnitude >= 10.0) return fmt::format("{:.1f}", value);
  if (magnitude >= 1.0) return fmt::format("{:.2f}", value);
  return fmt::format("{:.3g}", value);
}

std::string frequency_text(double frequency_hz) {
  if (!std::isfinite(frequency_hz)) return "–";
  if (frequency_hz >= 999.5) return three_digits(frequency_hz / 1000.0) + " kHz";
  return three_digits(frequency_hz) + " Hz";
}

std::string capitalised(std::string text) {
  if (!text.empty() && text.front() >= 'a' && text.front() <= 'z')
    text.front() = static_cast<char>(text.front() - 'a' + 'A');
  return text;
}

}  // namespace lalometer
