#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "base/result.h"
#include "book/records.h"

/// Curves read off pictures of published charts.
namespace lalometer {

/// Pixels of a picture, red, green, blue, row by row. Places count in pixels from the upper left
/// corner; the middle of the first pixel is (0.5, 0.5).
struct ChartPixels {
  int width = 0;
  int height = 0;
  std::vector<std::uint8_t> rgb;
};

/// A scale by two places on it.
struct ChartAxis {
  double first_px = 0.0;
  double first_value = 0.0;
  double second_px = 1.0;
  double second_value = 1.0;
  bool logarithmic = false;
  [[nodiscard]] double value_at(double px) const;
  [[nodiscard]] double px_of(double value) const;
};
struct ChartAxes {
  ChartAxis across{.logarithmic = true};  ///< Hz
  ChartAxis up;                           ///< dB or ohm
};
/// What is wrong with them, in words; empty where they can be used.
[[nodiscard]] std::string trouble_of(const ChartAxes& axes);
[[nodiscard]] std::string to_json(const ChartAxes& axes);
[[nodiscard]] ChartAxes chart_axes_from_json(const std::string& text);

struct TracedPoint {
  double x_px;
  double y_px;
};

/// The line that passes through a place, followed to both sides by its colour and its course, one
/// point for each column of pixels: the middle of the line, weighted by how much of each pixel it
/// covers; the tip where it turns within a column. Grid lines of its own colour, gaps of dashes and
/// of other curves that cross it are bridged where its course goes on.
/// @return an error where no line is near the place, or it cannot be told from the ground.
[[nodiscard]] Result<std::vector<TracedPoint>> trace_line(const ChartPixels& pixels, double x_px,
                                                          double y_px);

/// The middle of the grid line or tick nearest to a place, at most `reach_px` away; the place
/// itself where there is none.
/// @param vertical  a line of constant frequency; else one of constant level.
[[nodiscard]] double snapped_px(const ChartPixels& pixels, double x_px, double y_px, bool vertical,
                                double reach_px = 4.0);

/// Frequencies and values of traced points, rising; points outside of what can be a value are left
/// out.
void put_traced(TracedChart& chart, const std::vector<TracedPoint>& points, const ChartAxes& axes);
/// The other way, for a chart that is opened again.
[[nodiscard]] std::vector<TracedPoint> traced_points(const TracedChart& chart,
                                                     const ChartAxes& axes);

/// Moves what was traced as if the line were pulled: the point at x_px goes to y_px, those beside
/// it less and less, none beyond `reach_px`.
void pull(std::vector<TracedPoint>& points, double x_px, double y_px, double reach_px);

}  // namespace lalometer
