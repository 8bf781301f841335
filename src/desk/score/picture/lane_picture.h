#pragma once

#include <QImage>
#include <QRectF>

#include "desk/parts/theme.h"
#include "workbench/reading/scale/axis_scale.h"
#include "workbench/reading/lane_content.h"

/// Draws one lane to a picture: pure, so that it runs on any thread and is tested without a window.
namespace lalometer {

/// Where things are inside a lane's picture, in logical pixels.
struct LaneGeometry {
  double width = 0.0;
  double height = 0.0;
  AcrossMapping across;
  UpMapping up;
  UpMapping right;
};

/// Gutters beside the plot, the same for all lanes, so that their frequency axes stand under each
/// other.
inline constexpr double kLeftGutter_px = 38.0;
inline constexpr double kRightGutter_px = 30.0;
/// Height of the strip over the plot with the lane's title and its curves' names: no word covers
/// data.
inline constexpr double kHeading_px = 19.0;
/// Height of the axis under a lane that is not over frequency.
inline constexpr double kOwnAxis_px = 18.0;

[[nodiscard]] LaneGeometry lane_geometry(const LaneContent& content, double width, double height,
                                         FrequencyRange frequency, LaneRange values);

enum class PictureQuality {
  kCoarse,  ///< while something moves: maps without contours, many curves by columns
  kFine,
};

/// Whether this content looks finer in fine quality; where not, one picture serves for both.
[[nodiscard]] bool coarse_differs(const LaneContent& content);

struct LanePictureInput {
  LaneContent content;
  LaneGeometry geometry;
  Theme theme;
  double device_ratio = 1.0;
  double curve_width_px = 1.5;
  PictureQuality quality = PictureQuality::kFine;
};
[[nodiscard]] QImage lane_picture(const LanePictureInput& input);

}  // namespace lalometer
