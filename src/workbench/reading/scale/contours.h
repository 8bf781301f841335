#pragma once

#include <functional>
#include <vector>

#include "workbench/reading/lane_layers.h"

namespace lalometer {

/// A short straight piece of a contour.
struct ContourPiece {
  double x1, y1, x2, y2;
};
/// Lines of equal value at whole multiples of the step, by walking the map's cells: each crossing
/// of a level is a straight piece between two edges of a cell.
/// @param column_px, row_px  where columns and rows of the map stand.
[[nodiscard]] std::vector<ContourPiece> contour_pieces(const ValueMap& map, double step,
                                                       const std::vector<double>& column_px,
                                                       const std::vector<double>& row_px);

}  // namespace lalometer
