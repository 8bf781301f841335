#pragma once

#include <QPainter>

#include "desk/score/picture/lane_picture.h"

namespace lalometer {

/// Draws a value map into a lane's plot: perceptually even colours (one hue family, lightness
/// falling evenly), and in fine quality contour lines at whole steps. x of the map are log-spaced
/// frequencies.
void draw_map(QPainter& painter, const ValueMap& map, const LaneGeometry& geometry,
              const Theme& theme, PictureQuality quality);

/// Colour of a share 0..1 of the map's range, from deep (0) to paper (1).
[[nodiscard]] QRgb map_colour(double share, bool dark);

}  // namespace lalometer
