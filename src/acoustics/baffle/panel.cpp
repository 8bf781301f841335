#include "acoustics/baffle/panel.h"

namespace lalometer {

std::optional<Panel> panel_of(std::string_view word) {
  constexpr std::string_view kWords[] = {"front", "back", "left", "right", "top", "bottom"};
  for (int i = 0; i < 6; ++i)
    if (kWords[i] == word) return static_cast<Panel>(i);
  return std::nullopt;
}

BoxFace face_of(const Baffle& b, Panel panel, const BafflePoint& p) {
  const double w = b.width_m();
  const double h = b.height_m();
  const double d = b.depth_m();
  switch (panel) {
    case Panel::kFront:
      break;
    case Panel::kBack:
      return {w, h, d, {w - p.x_m, p.y_m, -p.z_m - d}};
    case Panel::kRight:
      return {d, h, w, {-p.z_m, p.y_m, p.x_m - w}};
    case Panel::kLeft:
      return {d, h, w, {p.z_m + d, p.y_m, -p.x_m}};
    case Panel::kTop:
      return {w, d, h, {p.x_m, -p.z_m, p.y_m - h}};
    case Panel::kBottom:
      return {w, d, h, {p.x_m, p.z_m + d, -p.y_m}};
  }
  return {w, h, d, p};
}

BafflePoint point_of(const Baffle& b, double origin_x_m, double origin_y_m,
                     const PanelPlace& place) {
  const double x = origin_x_m + place.x_m;
  const double y = origin_y_m + place.y_m;
  switch (place.panel) {
    case Panel::kFront:
      break;
    case Panel::kBack:
      return {x, y, -b.depth_m()};
    case Panel::kRight:
      return {b.width_m(), y, -0.5 * b.depth_m() + place.x_m};
    case Panel::kLeft:
      return {0.0, y, -0.5 * b.depth_m() + place.x_m};
    case Panel::kTop:
      return {x, b.height_m(), -0.5 * b.depth_m() + place.y_m};
    case Panel::kBottom:
      return {x, 0.0, -0.5 * b.depth_m() + place.y_m};
  }
  return {x, y, 0.0};
}

}  // namespace lalometer
