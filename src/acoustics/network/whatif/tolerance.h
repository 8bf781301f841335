#pragma once

#include <cstdint>

#include "acoustics/network/whatif/network_sum.h"

namespace lalometer {

/// What the spread of parts does to the sum on the axis.
struct ToleranceBand {
  /// Half-width of the middle 95 % of all trials about the sum as drawn, dB, per row of the sum.
  std::vector<double> half_width_db;
  double widest_db = 0.0;
  double widest_at_hz = 0.0;
  double lowest_ohm = 0.0;  ///< smallest load of all trials; 0: there is no one load
};
struct ToleranceWish {
  double coil_percent = 5.0;  ///< half-widths of even spreads, as sold (common practice, no source)
  double capacitor_percent = 5.0;
  double resistor_percent = 5.0;
  double driver_db = 0.0;  ///< of each driver's level, standard deviation: samples
  int trials = 200;
  std::uint64_t seed = 1;
};
/// Monte Carlo over the parts' values, each by itself; the same seed gives the same band. Errors as
/// network_sum.
[[nodiscard]] Result<ToleranceBand> tolerance_band(const DesignedNetwork& network,
                                                   const std::vector<NetworkDriver>& drivers,
                                                   const ToleranceWish& wish = {});

}  // namespace lalometer
