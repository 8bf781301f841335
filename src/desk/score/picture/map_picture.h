#pragma once

#include <QPainter>

#include "desk/score/picture/lane_picture.h"

namespace lalometer {

/// Draws a value map into a lane's plot: perceptually even colours (one hue family, lightness
/// falling evenly), and in fine quality the contours, where there are some. x and rows of the map
/// stand evenly on the lane's axes, logarithmic ones included.
void draw_map(QPainter& painter, const ValueMap& map, const ContourLayer* contours,
              const LaneGeometry& geometry, const Theme& theme, PictureQuality quality);

/// Colour of a share 0..1 of the map's range, from deep (0) to paper (1).
[[nodiscard]] QRgb map_colour(double share, bool dark);

/// The colours' scale with its two ends and its unit, ending at a point of the heading's base line.
/// @return the width that it took.
[[nodiscard]] double draw_map_legend(QPainter& painter, const ValueMap& map, QPointF right,
                                     const Theme& theme);

}  // namespace lalometer
