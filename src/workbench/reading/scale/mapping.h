#pragma once

#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

/// Axis arithmetic of the score, without a window: pixels to values and back, and where ticks go.
namespace lalometer {

/// Logarithmic frequency (or linear time) across, value upward. left/right and top/bottom are pixel
/// edges.
struct AcrossMapping {
  double low = 20.0;
  double high = 20000.0;
  double left_px = 0.0;
  double right_px = 1.0;
  bool logarithmic = true;

  [[nodiscard]] double px(double x) const {
    const double t =
        logarithmic ? std::log(x / low) / std::log(high / low) : (x - low) / (high - low);
    return left_px + t * (right_px - left_px);
  }
  [[nodiscard]] double value(double px) const {
    const double t = (px - left_px) / (right_px - left_px);
    return logarithmic ? low * std::pow(high / low, t) : low + t * (high - low);
  }
};

struct UpMapping {
  double low = 0.0;
  double high = 1.0;
  double top_px = 0.0;
  double bottom_px = 1.0;
  bool logarithmic = false;

  [[nodiscard]] double px(double y) const {
    const double t =
        logarithmic ? std::log(y / low) / std::log(high / low) : (y - low) / (high - low);
    return bottom_px - t * (bottom_px - top_px);
  }
  [[nodiscard]] double value(double px) const {
    const double t = (bottom_px - px) / (bottom_px - top_px);
    return logarithmic ? low * std::pow(high / low, t) : low + t * (high - low);
  }
};

struct Tick {
  double value;
  std::string label;  ///< empty: a line without a number
  bool strong;
};

/// Ticks of a logarithmic frequency axis: decades strong, 2 and 5 labelled, the rest fine; closer
/// in, more of them are labelled as room allows. Labels carry no unit below 1000 ("200") and k
/// above ("2k").
/// @param width_px  of the axis; two labels never come closer than about 40 px.
[[nodiscard]] std::vector<Tick> frequency_ticks(double low_hz, double high_hz, double width_px);

/// Evenly spaced ticks with steps of 1, 2 or 5 times a power of ten, at least `spacing_px` apart,
/// within the range.
[[nodiscard]] std::vector<Tick> even_ticks(double low, double high, double length_px,
                                           double spacing_px);

/// Zooms around a point: the value there stays where it is. factor > 1 shows more. Limits: 1 Hz ..
/// 100 kHz, at least a third of an octave.
struct FrequencyRange {
  double low_hz = 20.0;
  double high_hz = 20000.0;
  friend bool operator==(const FrequencyRange&, const FrequencyRange&) = default;
};
[[nodiscard]] FrequencyRange zoomed(FrequencyRange range, double at_hz, double factor);
[[nodiscard]] FrequencyRange shifted(FrequencyRange range, double octaves);

/// Places labels of one height so that none overlap: wanted centres, in any order, to placed
/// centres within [top, bottom], kept as near as possible, their order kept.
[[nodiscard]] std::vector<double> spread_labels(const std::vector<double>& wanted, double height,
                                                double top, double bottom);

}  // namespace lalometer
