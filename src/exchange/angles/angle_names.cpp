#include "exchange/angles/angle_names.h"

#include <array>
#include <cctype>
#include <cmath>
#include <string_view>
#include <vector>

namespace lalometer {
namespace {

bool is_letter(char c) {
  return c >= 'a' && c <= 'z';
}
bool is_digit(char c) {
  return c >= '0' && c <= '9';
}

/// A number as it stands in a name, at most three digits before a point.
struct Number {
  double value = 0.0;
  std::size_t begin = 0;
  std::size_t end = 0;
};
std::optional<Number> number_at(std::string_view name, std::size_t at) {
  Number n{.value = 0.0, .begin = at, .end = at};
  double sign = 1.0;
  if (at < name.size() && (name[at] == '+' || name[at] == '-')) {
    sign = name[at] == '-' ? -1.0 : 1.0;
    ++at;
    if (at < name.size() && name[at] == ' ') ++at;
  }
  std::size_t digits = 0;
  while (at < name.size() && is_digit(name[at])) {
    n.value = 10.0 * n.value + (name[at] - '0');
    ++at;
    ++digits;
  }
  if (digits == 0 || digits > 3) return std::nullopt;
  if (at + 1 < name.size() && name[at] == '.' && is_digit(name[at + 1])) {
    double share = 0.1;
    for (++at; at < name.size() && is_digit(name[at]); ++at, share *= 0.1)
      n.value += share * (name[at] - '0');
  }
  n.value *= sign;
  n.end = at;
  return n;
}

std::optional<double> angle_of(double degrees) {
  if (std::abs(degrees) > 360.0) return std::nullopt;
  const double wrapped = std::remainder(degrees, 360.0);
  return wrapped <= -180.0 + 1e-9 ? wrapped + 360.0 : wrapped;
}

bool names_a_plane(std::string_view word) {
  constexpr std::array<std::string_view, 8> kWords = {"h", "hor", "horiz", "horizontal",
                                                      "v", "ver", "vert",  "vertical"};
  for (const std::string_view known : kWords)
    if (word == known) return true;
  return false;
}

/// A plane's letter or word, then the number: whatever else stands in the name.
std::vector<NamedAngle> planed(std::string_view name) {
  std::vector<NamedAngle> found;
  for (std::size_t i = 0; i < name.size();) {
    if (!is_letter(name[i])) {
      ++i;
      continue;
    }
    std::size_t end = i;
    while (end < name.size() && is_letter(name[end])) ++end;
    const std::string_view word = name.substr(i, end - i);
    i = end;
    if (!names_a_plane(word)) continue;
    if (end < name.size() && (name[end] == ' ' || name[end] == '_')) ++end;
    const auto number = number_at(name, end);
    const auto degrees = number ? angle_of(number->value) : std::nullopt;
    if (!degrees) continue;
    found.push_back({word.front() == 'v', *degrees});
    i = number->end;
  }
  return found;
}

/// All numbers that begin where no other one goes on.
std::vector<Number> numbers_in(std::string_view name) {
  std::vector<Number> found;
  for (std::size_t i = 0; i < name.size(); ++i) {
    const bool sign = name[i] == '+' || name[i] == '-';
    if (!sign && !is_digit(name[i])) continue;
    if (const auto number = number_at(name, i)) {
      found.push_back(*number);
      i = number->end - 1;
    } else if (!sign) {
      while (i + 1 < name.size() && is_digit(name[i + 1])) ++i;
    }
  }
  return found;
}

}  // namespace

std::optional<NamedAngle> angle_of_name(const std::string& file_name) {
  std::string name = file_name;
  if (const auto dot = name.rfind('.'); dot != std::string::npos && dot > 0) name.resize(dot);
  for (char& c : name) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  const std::vector<NamedAngle> told = planed(name);
  if (!told.empty()) {
    // Both planes in one name ("h30 v0"): the one that is not 0 counts.
    const NamedAngle* counts = nullptr;
    for (const NamedAngle& one : told) {
      if (one.degrees == 0.0) continue;
      if (counts != nullptr) return std::nullopt;
      counts = &one;
    }
    return counts != nullptr ? *counts : told.front();
  }
  const std::vector<Number> numbers = numbers_in(name);
  for (const Number& n : numbers) {
    std::string_view rest = std::string_view(name).substr(n.end);
    if (!rest.empty() && (rest.front() == ' ' || rest.front() == '_')) rest.remove_prefix(1);
    const bool united =
        rest.starts_with("deg") || rest.starts_with("grad") || rest.starts_with("\xC2\xB0");
    if (const auto degrees = united ? angle_of(n.value) : std::nullopt)
      return NamedAngle{false, *degrees};
  }
  // A number that stands alone: "_30", "on-axis 30", "30".
  const auto parts_from = [](char c) { return c == ' ' || c == '_' || c == '(' || c == ')'; };
  std::optional<double> only;
  for (const Number& n : numbers) {
    const bool free_before = n.begin == 0 || parts_from(name[n.begin - 1]);
    const bool free_after = n.end == name.size() || parts_from(name[n.end]);
    const auto degrees = free_before && free_after ? angle_of(n.value) : std::nullopt;
    if (!degrees) continue;
    if (only) return std::nullopt;
    only = degrees;
  }
  if (only) return NamedAngle{false, *only};
  return std::nullopt;
}

}  // namespace lalometer
