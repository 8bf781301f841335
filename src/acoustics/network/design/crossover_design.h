#pragma once

#include <stop_token>
#include <string>

#include "acoustics/network/design/part_series.h"
#include "acoustics/network/design/system_target.h"
#include "acoustics/network/filter.h"
#include "acoustics/network/whatif/network_sum.h"
#include "base/progress.h"

namespace lalometer {

/// Two drivers that should meet.
struct CrossoverWish {
  std::string low, high;
  double frequency_hz = 2000.0;
  FilterShape shape = FilterShape::kLinkwitzRiley;  ///< of the sound, not of the network
  int order = 4;
  SystemTarget target = {};  ///< of the sum; each driver's slope is laid over it
  PartSeries series = PartSeries::kAny;
  int most_parts = 0;  ///< 0: 6 to order 2, 9 above
  std::stop_token stop = {};
  Progress progress = {};
  Parallel parallel = in_turn;
};

struct CrossoverDesign {
  DesignedNetwork network;
  int parts = 0;
  /// Of the sum against the target's, an octave to each side, after a level fit: rms and largest.
  double deviation_db = 0.0;
  double largest_db = 0.0;
  /// Rms of each driver's own slope against its target there.
  double low_slope_db = 0.0, high_slope_db = 0.0;
  /// Of the two against the targets' own phase to each other, mean as much as both play.
  double off_phase_deg = 0.0;
  double rounding_cost_db = 0.0;  ///< how much of the rms the series' values cost
  double minimum_ohm = 0.0;       ///< of the load
  bool possible = false;          ///< within 1 dB everywhere
  std::string verdict;            ///< in a sentence, with the reason where it is not
};

/// Passive ladders of the usual shapes, as few parts as keep the sum within 1 dB of the target an
/// octave to each side with each driver's slope within 2 dB of its own and the two within 35
/// degrees of the targets' phase to each other; where no number of parts does, the best. Each
/// driver's ladder is fitted to its own acoustic target first (damped least squares over the
/// logarithms of the elements, magnitudes), the best pairs then together with the sum in both
/// polarities. Coils have the resistance of usual air coils. The level is that of the quieter
/// driver in its band: nothing is made louder. Errors: drivers that cannot be summed (network_sum),
/// a filter that there is not, a band that the takes do not cover; kCancelled.
[[nodiscard]] Result<CrossoverDesign> crossover_design(const std::vector<NetworkDriver>& drivers,
                                                       const CrossoverWish& wish);

}  // namespace lalometer
