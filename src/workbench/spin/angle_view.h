#pragma once

#include <optional>
#include <string_view>
#include <vector>

#include "acoustics/spectrum/frequency_axis.h"

namespace lalometer {

/// How a set of angles is looked at.
struct AngleView {
  double horizontal_axis_deg = 0.0;  ///< another listening axis
  double vertical_axis_deg = 0.0;
  double fall_db = 6.0;  ///< of the beamwidth
  bool mirror = false;   ///< a side that was not taken is the other one
  bool extend = true;    ///< below the gate by near fields
  bool draft = false;    ///< while the axis is dragged: no intervals, no causes, no advice
  friend bool operator==(const AngleView&, const AngleView&) = default;
  [[nodiscard]] bool turned() const {
    return horizontal_axis_deg != 0.0 || vertical_axis_deg != 0.0;
  }
};

enum class EqualiseFor { kOnAxis, kListeningWindow, kPredictedInRoom };
/// "on-axis", "listening-window", "predicted-in-room".
[[nodiscard]] std::optional<EqualiseFor> equalise_for(std::string_view word);

struct EqualiseWish {
  EqualiseFor of = EqualiseFor::kListeningWindow;
  bool slope = false;  ///< its own trend line instead of its mean
  /// A target told point by point, dB at any offset.
  std::optional<FrequencyAxis> target_axis = std::nullopt;
  std::vector<double> target_db = {};
  std::optional<double> from_hz = std::nullopt;
  std::optional<double> to_hz = std::nullopt;
  int filters = 5;
  double max_boost_db = 3.0;
  double sample_rate_hz = 48000.0;
};

/// What the levels of an angle map are held against.
enum class MapReference {
  kAxis,             ///< the axis it is looked at from
  kListeningWindow,  ///< the mean of the standard's nine directions
  kAngle,            ///< one of its own angles
  kNothing,          ///< levels as they are
};
struct MapLook {
  MapReference reference = MapReference::kAxis;
  double degrees = 30.0;  ///< of kAngle
  friend bool operator==(const MapLook&, const MapLook&) = default;
};

}  // namespace lalometer
