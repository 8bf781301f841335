#pragma once

#include <cmath>
#include <limits>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "book/book.h"

/// What a lane is made of: axes that say what they count and how, and layers that lie over each
/// other between them. Plain values; the desk draws any of them in any lane.
namespace lalometer {

enum class AxisQuantity { kFrequency, kTime, kAngle, kLevel, kOther };
enum class AxisScale {
  kLinear,
  kLogarithmic,  ///< its range is above zero
  kDecibel,      ///< linear in dB, with a grid that counts in tens
};

/// One axis. Across, a lane over frequency follows the score's own range; every other one stands on
/// its own and shows low to high.
struct LaneAxis {
  AxisQuantity quantity = AxisQuantity::kOther;
  AxisScale scale = AxisScale::kLinear;
  std::string unit = {};
  double low = 0.0;  ///< what "fit" shows
  double high = 1.0;
  friend bool operator==(const LaneAxis&, const LaneAxis&) = default;
};

enum class Side { kLeft, kRight };

/// One curve of a lane, over the lane's axes; NaN breaks the line.
struct Series {
  Id take_id = 0;
  std::string label;
  int style = 0;  ///< place on the palette
  bool chosen = false;
  std::vector<double> x;
  std::vector<double> y;
  double valid_low = 0.0;  ///< outside, the curve is drawn faint
  double valid_high = 1e300;
  /// Half-width of the 95 % interval at each x, as a band about the curve; empty where nobody
  /// knows.
  std::vector<double> spread = {};
  friend bool operator==(const Series& a, const Series& b);
};

/// Curves against one of the two scales; those on the right are drawn thin.
struct CurveLayer {
  Side side = Side::kLeft;
  std::vector<Series> curves;
  friend bool operator==(const CurveLayer&, const CurveLayer&) = default;
};

/// Values over the lane's x and, on its left axis, a second quantity (angle, time), drawn in
/// colours. Row by row; rows and x rise in even steps of the axes' scales. NaN: nothing is known
/// there, hatched.
struct ValueMap {
  std::vector<double> x;
  std::vector<double> rows;
  std::vector<float> values;  ///< rows.size() * x.size()
  double low = -30.0;         ///< the colours' ends
  double high = 0.0;
  std::string unit = "dB";  ///< of the values
  friend bool operator==(const ValueMap& a, const ValueMap& b);
};

/// Lines of equal value over the lane's map, at whole multiples of the step.
struct ContourLayer {
  double step = 6.0;
  friend bool operator==(const ContourLayer&, const ContourLayer&) = default;
};

/// A range of x in which nothing that the lane shows is valid, hatched.
struct InvalidBand {
  double low = -std::numeric_limits<double>::infinity();
  double high = std::numeric_limits<double>::infinity();
  std::string text = {};  ///< why
  friend bool operator==(const InvalidBand&, const InvalidBand&) = default;
};
struct BandLayer {
  std::vector<InvalidBand> bands;
  friend bool operator==(const BandLayer&, const BandLayer&) = default;
};

/// A named frequency or band, standing as a bar with its name.
struct LaneMark {
  std::string name;
  std::string sentence;  ///< shown on hover
  int style = 0;         ///< place on the palette
  double low_hz = 0.0;
  double high_hz = 0.0;
  [[nodiscard]] double centre_hz() const { return std::sqrt(low_hz * high_hz); }
  friend bool operator==(const LaneMark&, const LaneMark&) = default;
};
struct MarkLayer {
  std::vector<LaneMark> marks;  ///< rising in frequency
  friend bool operator==(const MarkLayer&, const MarkLayer&) = default;
};

/// The gate of the chosen impulse, in ms after its arrival, with a handle.
struct GateLayer {
  double end_ms = 0.0;
  std::optional<double> reflection_ms;
  friend bool operator==(const GateLayer&, const GateLayer&) = default;
};

/// Frequencies that the curves themselves tell, as thin lines through the plot with a name each.
struct FlagLayer {
  std::vector<LaneMark> flags;  ///< rising in frequency
  friend bool operator==(const FlagLayer&, const FlagLayer&) = default;
};

/// Where the chosen join stands, with a handle, over the range that both its parts know.
struct JoinLayer {
  Id take_id = 0;
  double at_hz = 0.0;
  double low_hz = 0.0;
  double high_hz = 0.0;
  friend bool operator==(const JoinLayer&, const JoinLayer&) = default;
};

using LaneLayer = std::variant<ValueMap, ContourLayer, BandLayer, CurveLayer, GateLayer, MarkLayer,
                               FlagLayer, JoinLayer>;

/// What one lane shows. Its layers are drawn by kind, from the ground up: map, contours, bands,
/// curves (those on the right scale first), flags, join, gate, marks.
struct LaneContent {
  std::string title;
  std::string subtitle;
  LaneAxis across{.quantity = AxisQuantity::kFrequency,
                  .scale = AxisScale::kLogarithmic,
                  .unit = "Hz",
                  .low = 20.0,
                  .high = 20000.0};
  LaneAxis left;
  LaneAxis right;
  std::vector<LaneLayer> layers;
  bool all_spreads = false;  ///< every curve's interval is drawn, not the chosen one's alone
  std::string empty_text;    ///< what to do next, where there is nothing to show

  /// Its own axis across stands under it; lanes over frequency share the score's.
  [[nodiscard]] bool over_frequency() const { return across.quantity == AxisQuantity::kFrequency; }
  /// Nothing to see: neither a curve, nor a map, nor a mark.
  [[nodiscard]] bool blank() const;
  /// The first layer of a kind; null without one.
  template <class Layer>
  [[nodiscard]] const Layer* find() const {
    for (const LaneLayer& layer : layers) {
      if (const auto* found = std::get_if<Layer>(&layer)) return found;
    }
    return nullptr;
  }
  /// The first layer of a kind, made where there is none.
  template <class Layer>
  Layer& layer() {
    for (LaneLayer& one : layers) {
      if (auto* found = std::get_if<Layer>(&one)) return *found;
    }
    return std::get<Layer>(layers.emplace_back(Layer{}));
  }
  /// Curves, marks and invalid ranges as they are; empty without such a layer.
  [[nodiscard]] const std::vector<Series>& curves(Side side = Side::kLeft) const;
  [[nodiscard]] const std::vector<LaneMark>& marks() const;
  [[nodiscard]] const std::vector<InvalidBand>& invalid() const;
  /// The curves of one side, to be filled.
  std::vector<Series>& add_curves(Side side = Side::kLeft);

  friend bool operator==(const LaneContent&, const LaneContent&) = default;
};

}  // namespace lalometer
