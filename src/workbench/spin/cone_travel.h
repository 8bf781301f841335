#pragma once

#include <optional>
#include <string>
#include <vector>

#include "workbench/angles/orbit_material.h"

namespace lalometer {

/// Half-width of the 95 % interval, relative: level within 0.5 dB, diameter within 2 %, what the
/// edges add within 0.5 dB (common practice, no source).
inline constexpr double kTravelWithin = 0.1;

/// How far the cones that play the bass travel, by the level that was measured on the axis.
struct ConeTravel {
  std::string drivers;  ///< their ids, together
  double low_hz;        ///< between these the level is theirs
  double high_hz;
  double xmax_m;   ///< of the one with the least
  double rated_v;  ///< of the one with the least, all of them in parallel
  /// Peak travel to one side at `rated_v`, over the orbit's axis; 0 outside low_hz to high_hz.
  std::vector<double> peak_m;

  /// Drive at which Xmax is reached with a gain over it, and where that is.
  struct Limit {
    double volts;
    double at_hz;
  };
  [[nodiscard]] std::optional<Limit> limit(const FrequencyAxis& axis,
                                           const std::vector<double>& gain_db) const;
};

/// A cone that moves by x to one side gives, at a distance r, p = 2 pi f^2 rho Sd x / (sqrt(2) r)
/// Pa rms in a half space (Beranek, Acoustics: simple source); on a baffle by what its edges add or
/// take, into the whole space where no baffle is told. Of the level on the axis, which must be
/// absolute.
/// @param low_hz  of boxes with a port or a radiator only from half an octave above it: at their
/// tuning the level is not the cone's.
/// @return nothing where Xmax, power, Re or size of such a driver are not told, levels are
/// relative, or the loading is an open baffle, a horn or free air.
[[nodiscard]] std::optional<ConeTravel> cone_travel(const OrbitMaterial& material, double low_hz);

}  // namespace lalometer
