#pragma once

#include <optional>
#include <string_view>

#include "acoustics/baffle/diffraction.h"

namespace lalometer {

/// A side of the box.
enum class Panel { kFront, kBack, kLeft, kRight, kTop, kBottom };
/// "front", "back", "left", "right", "top", "bottom".
[[nodiscard]] std::optional<Panel> panel_of(std::string_view word);

/// A place on a panel. On front and back x and y count from the baffle's origin, to the right as
/// seen from in front and up. On the left and right panel x counts from the middle of the depth
/// toward the front, on top and bottom y does; the other as before.
struct PanelPlace {
  Panel panel = Panel::kFront;
  double x_m = 0.0;
  double y_m = 0.0;
};

/// A box as seen from one of its panels: that panel is the front, with the point in its
/// coordinates.
struct BoxFace {
  double width_m;
  double height_m;
  double depth_m;
  BafflePoint at;
};
[[nodiscard]] BoxFace face_of(const Baffle& baffle, Panel panel, const BafflePoint& point);

/// Where a place lies in the box's own coordinates.
/// @param origin_x_m, origin_y_m  of the baffle's origin, from the front's left and lower edge.
[[nodiscard]] BafflePoint point_of(const Baffle& baffle, double origin_x_m, double origin_y_m,
                                   const PanelPlace& place);

}  // namespace lalometer
