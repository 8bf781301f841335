#pragma once

#include <string>

#include "paper/figure/figure_ink.h"
#include "paper/figure/svg_parts.h"
#include "workbench/reading/lane_layers.h"

namespace lalometer {

struct FigureWish {
  FigureInk ink = FigureInk::light();
  double width_px = 720.0;
  double height_px = 300.0;  ///< of the plot
  double low_hz = 20.0, high_hz = 20000.0;
  /// Level figures in the proportions of IEC 60263: a decade of frequency as long as so many
  /// decibels (10, 25 or 50); 0: by the height.
  double db_per_decade = 0.0;
  bool fonts_named = true;    ///< false: the page says them
  std::string id = "figure";  ///< of what is clipped: one of its own where several stand on a page
};

/// One lane as an SVG: frame, grid, numbers, hatched where nothing is valid, curves as paths with
/// their names, and marks; a map as a lossless PNG inside it. The plot's scales stand in attributes
/// (data-x, data-y: kind, low, high, pixels), so that a page can tell values under the pointer.
/// Curves are broken at NaN and drawn faint and dotted outside their validity. The same content
/// gives the same text.
[[nodiscard]] std::string svg_figure(const LaneContent& content, const FigureWish& wish);

}  // namespace lalometer
