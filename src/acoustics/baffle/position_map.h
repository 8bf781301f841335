#pragma once

#include <functional>
#include <optional>
#include <stop_token>
#include <vector>

#include "acoustics/baffle/baffle.h"

namespace lalometer {

/// Where on the front a driver makes the least ripple.
struct PositionMap {
  std::vector<double> x_m;        ///< rising
  std::vector<double> y_m;        ///< rising
  std::vector<double> ripple_db;  ///< row by row (y), rms of the level on the driver's own axis
  double best_x_m = 0.0;
  double best_y_m = 0.0;
  double best_ripple_db = 0.0;
};

/// The band in which the edges are judged, at a distance.
struct RippleBand {
  double low_hz;
  double high_hz;
  double distance_m = 1.0;
};

/// Tries every place of a grid on which a piston of this radius lies wholly on the flat front: rms
/// of its first-order edge ripple in the band (points at 1/12 octave). The baffle step counts where
/// the band reaches down to it. A front that has no such place is an error; a stop gives
/// kCancelled.
/// @param columns, rows  >= 2.
[[nodiscard]] Result<PositionMap> map_positions(const Baffle& baffle, double radius_m,
                                                const RippleBand& band, int columns, int rows,
                                                double speed_of_sound_m_s,
                                                std::stop_token stop = {},
                                                const std::function<void(double)>& progress = {});

/// The same figure for one place.
[[nodiscard]] double edge_ripple_db(const Baffle& baffle, const BafflePiston& piston,
                                    const RippleBand& band, double speed_of_sound_m_s);

}  // namespace lalometer
