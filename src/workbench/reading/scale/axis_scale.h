#pragma once

#include <vector>

#include "workbench/reading/lane_layers.h"
#include "workbench/reading/scale/mapping.h"

namespace lalometer {

/// Where an axis has lines and numbers between low and high, as its scale and quantity want:
/// decades, even steps, tens of decibels strong, angles in parts of a turn.
/// @param length_px   of the axis.
/// @param spacing_px  between two lines at least.
[[nodiscard]] std::vector<Tick> axis_ticks(const LaneAxis& axis, double low, double high,
                                           double length_px, double spacing_px);

/// What an axis shows.
struct LaneRange {
  double low;
  double high;
};
/// The range around a value that stays where it is; factor < 1 shows less of it.
[[nodiscard]] LaneRange zoomed(LaneRange range, AxisScale scale, double at, double factor);
/// The range moved up by a share of its length.
[[nodiscard]] LaneRange shifted(LaneRange range, AxisScale scale, double share);

}  // namespace lalometer
