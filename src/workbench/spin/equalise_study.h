#pragma once

#include "acoustics/equaliser/equalise.h"
#include "acoustics/spin/spinorama.h"
#include "workbench/angles/orbit_material.h"

namespace lalometer {

enum class EqualiseFor { kOnAxis, kListeningWindow, kPredictedInRoom };
[[nodiscard]] std::optional<EqualiseFor> equalise_for(std::string_view word);

struct EqualiseWish {
  EqualiseFor of = EqualiseFor::kListeningWindow;
  bool slope = false;  ///< its own trend line instead of its mean
  /// A target told point by point, dB at any offset, rising in frequency; empty: none.
  std::vector<std::pair<double, double>> target = {};
  std::optional<double> from_hz = std::nullopt;
  std::optional<double> to_hz = std::nullopt;
  int filters = 5;
  double max_boost_db = 3.0;
  double sample_rate_hz = 48000.0;
};

struct EqualiseAdvice {
  Equalisation equalisation;
  std::vector<LeftAlone> refused = {};
  std::vector<double> before_db = {};
  std::vector<double> target_db = {};
  double from_hz = 0.0;
  double to_hz = 0.0;
  std::vector<std::string> notes = {};
};

/// What may be mended: what stands alike at the angles that matter. A departure of the curve from
/// its own run over two octaves counts as the loudspeaker's where the angles up to 30 degrees to
/// the sides, 40 to 60 and the vertical window have on average at least half of it; else it changes
/// with the angle (an edge, interference between drivers), and a filter would spoil other angles as
/// much as it mends this one. Dips that the cabinet's edges are due to make on the axis are named.
/// @return an error where the wanted curve is not there.
[[nodiscard]] Result<EqualiseAdvice> equalise_advice(const OrbitMaterial& material,
                                                     const EqualiseWish& wish,
                                                     const std::string& where);

}  // namespace lalometer
