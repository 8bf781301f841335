#pragma once

#include "desk/score/picture/lane_picture.h"

class QPainter;

namespace lalometer {

/// What lies over a lane's curves: flags, the join and the gate with their handles, named marks.
void draw_handles(QPainter& painter, const LanePictureInput& in);

/// Where the curves are.
[[nodiscard]] inline QRectF plot_rect(const LaneGeometry& g) {
  return {QPointF(g.across.left_px, g.up.top_px), QPointF(g.across.right_px, g.up.bottom_px)};
}

}  // namespace lalometer
