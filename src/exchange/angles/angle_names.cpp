#include "exchange/angles/angle_names.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <regex>

namespace lalometer {

std::optional<NamedAngle> angle_of_name(const std::string& file_name) {
  std::string name = file_name;
  if (const auto dot = name.rfind('.'); dot != std::string::npos && dot > 0) name.resize(dot);
  for (char& c : name) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  const auto angle = [](const std::string& text) -> std::optional<double> {
    std::string plain;
    for (const char c : text)
      if (c != ' ' && c != '_') plain.push_back(c);
    const double value = std::strtod(plain.c_str(), nullptr);
    if (std::abs(value) > 360.0) return std::nullopt;
    const double wrapped = std::remainder(value, 360.0);
    return wrapped <= -180.0 + 1e-9 ? wrapped + 360.0 : wrapped;
  };
  // The plane's letter or word, then the number: whatever else stands in the name.
  static const std::regex planed(
      "(?:^|[^a-z])(h|hor|horiz|horizontal|v|ver|vert|vertical)[ _]?([+-]?[ "
      "]?[0-9]{1,3}(?:\\.[0-9]+)?)(?![0-9])");
  std::optional<NamedAngle> found;
  for (auto it = std::sregex_iterator(name.begin(), name.end(), planed);
       it != std::sregex_iterator(); ++it) {
    const auto degrees = angle((*it)[2].str());
    if (!degrees) continue;
    const NamedAngle one{(*it)[1].str().front() == 'v', *degrees};
    // Both planes in one name ("h30 v0"): the one that is not 0 counts.
    if (found && found->degrees != 0.0 && one.degrees != 0.0) return std::nullopt;
    if (!found || found->degrees == 0.0) found = one;
  }
  if (found) return found;
  static const std::regex united("([+-]?[0-9]{1,3}(?:\\.[0-9]+)?)[ _]?(?:deg|°|grad)");
  std::smatch match;
  if (std::regex_search(name, match, united)) {
    if (const auto degrees = angle(match[1].str())) return NamedAngle{false, *degrees};
  }
  // A number that stands alone: "_30", "on-axis 30", "30".
  static const std::regex alone("(?:^|[ _(])([+-]?[0-9]{1,3})(?=$|[ _)])");
  std::optional<double> only;
  for (auto it = std::sregex_iterator(name.begin(), name.end(), alone);
       it != std::sregex_iterator(); ++it) {
    const auto degrees = angle((*it)[1].str());
    if (!degrees) continue;
    if (only) return std::nullopt;
    only = degrees;
  }
  if (only) return NamedAngle{false, *only};
  return std::nullopt;
}

}  // namespace lalometer
