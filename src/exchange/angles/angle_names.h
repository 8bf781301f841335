#pragma once

#include <optional>
#include <string>

namespace lalometer {

/// An angle as a file's name tells it.
struct NamedAngle {
  bool vertical = false;
  double degrees = 0.0;
};
/// The usual habits: "h30", "H-030", "hor_30", "v+10", "ver -10", "30deg", "_30.", and a bare
/// number as the whole name. Horizontal where no plane is named. Nothing where no number can be an
/// angle, or several could.
[[nodiscard]] std::optional<NamedAngle> angle_of_name(const std::string& file_name);

}  // namespace lalometer
