#pragma once

#include <string>

#include "acoustics/equaliser/biquad.h"
#include "acoustics/spectrum/frequency_axis.h"

/// Parametric filters that bring a curve to a target, and what they must leave alone.
namespace lalometer {

struct EqualiseLimits {
  double from_hz = 100.0;
  double to_hz = 16000.0;
  int filters = 5;
  double max_boost_db = 3.0;  ///< of each filter and of their sum
  double max_cut_db = 12.0;
  double sample_rate_hz = 48000.0;
  double least_db = 0.5;  ///< a filter that would do less is none
};

/// A range that filters leave, and why.
struct LeftAlone {
  double low_hz;
  double high_hz;
  std::string reason;
  std::string what = {};  ///< the same in a word or two: "roll-off"
};

struct Equalisation {
  std::vector<BandFilter> filters;  ///< rising in frequency
  std::vector<double> after_db;
  double deviation_before_db = 0.0;  ///< rms off the target within the limits
  double deviation_after_db = 0.0;
};

/// Greedy and then all together: the filter that mends most is added, then frequencies, gains and
/// Qs (0.5 to 6) of all are refined by damped least squares over log f; until the number is reached
/// or one more would mend less than 3 % of what is left. Boosts count only outside `alone`: there a
/// filter may not raise the curve by more than 0.3 dB, and departures have no weight. The same
/// holds beyond the limits.
/// @param level_db, target_db  over the axis.
[[nodiscard]] Equalisation equalised(const FrequencyAxis& axis, const std::vector<double>& level_db,
                                     const std::vector<double>& target_db,
                                     const std::vector<LeftAlone>& alone,
                                     const EqualiseLimits& limits);

}  // namespace lalometer
