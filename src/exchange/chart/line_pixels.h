#pragma once

#include <array>
#include <vector>

#include "exchange/chart/chart_trace.h"

/// What a picture's pixels say of one line: how much of each it covers, and the pieces of columns
/// that belong to it. For the trace alone.
namespace lalometer {

using Colour = std::array<double, 3>;

/// Of a pixel the line covers at least so much where it counts as the line itself.
inline constexpr double kCore = 0.45;

[[nodiscard]] Colour pixel(const ChartPixels& pixels, int x, int y);
[[nodiscard]] double distance(const Colour& a, const Colour& b);
/// The colour there is most of: the mean of the fullest of 32 x 32 x 32 cells of colours.
[[nodiscard]] Colour ground_of(const ChartPixels& pixels);

/// How much of a pixel the line covers, 0 to 1; 0 where it is of another colour.
class Coverage {
 public:
  Coverage(const ChartPixels& pixels, const Colour& ground, const Colour& line);
  [[nodiscard]] double at(int x, int y) const;

 private:
  const ChartPixels& pixels_;
  Colour ground_;
  Colour step_{};
  double square_ = 1.0;
};

/// Pieces of a column that the line covers.
struct Run {
  double top;
  double bottom;
  double middle;  ///< by what is covered
  [[nodiscard]] double length() const { return bottom - top; }
};

/// Rows and columns that are grid lines of the curve's own colour.
struct Rules {
  std::vector<bool> rows;
  std::vector<bool> columns;
};
[[nodiscard]] Rules rules_of(const ChartPixels& pixels, const Coverage& line, int start_x,
                             int start_y);
[[nodiscard]] std::vector<Run> runs_of(const ChartPixels& pixels, const Coverage& line,
                                       const Rules& rules, int x);

/// One column of a line that was followed.
struct Step {
  int x;
  Run run;
};

}  // namespace lalometer
