#pragma once

#include <QRectF>
#include <vector>

#include "desk/score/picture/lane_picture.h"

namespace lalometer {

/// Where a lane's marks and their names stand, in the lane's pixels. Marks that would touch go into
/// different rows, set tighter where the lane is low; what finds none is left without a name.
struct PlacedMark {
  std::size_t index;  ///< in content.marks()
  QRectF bar;         ///< the frequency or band itself
  QRectF name;        ///< empty where there is no room
};
[[nodiscard]] std::vector<PlacedMark> placed_marks(const LaneContent& content,
                                                   const LaneGeometry& geometry);

/// How many marks found no room for their name.
[[nodiscard]] std::size_t unnamed(const std::vector<PlacedMark>& placed);

}  // namespace lalometer
