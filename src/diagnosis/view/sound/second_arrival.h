#pragma once

#include <optional>
#include <vector>

#include "acoustics/spectrum/response.h"

/// A second arrival in a level: what it adds, by least squares.
namespace lalometer {

/// A copy of the sound, later and quieter: |1 + g exp(-j 2 pi f delay)|.
struct SecondArrival {
  double delay_s = 0.0;
  /// Its share g of the first at `middle_hz`, and what it gains per octave; g stays between 0 and
  /// 0.95.
  double share = 0.0, per_octave = 0.0;
  double middle_hz = 1000.0;
  /// Of the level's variance about its run over an octave, what it explains: 0 to 1.
  double explained = 0.0;
  /// What it leaves of that, dB rms.
  double left_db = 0.0;

  [[nodiscard]] double ripple_db(double frequency_hz) const;
};
/// The one that explains most of a level, dB at the places of `axis`, within `range`; its delay
/// is sought between two bounds, s. Nothing where it explains less than half, or where the range
/// holds fewer than 24 places.
[[nodiscard]] std::optional<SecondArrival> second_arrival(const FrequencyAxis& axis,
                                                          const std::vector<double>& level_db,
                                                          ValidRange range, double least_s,
                                                          double most_s);
/// Of what stands out of a level within a range, the share that an arrival explains; below 0 where
/// it makes it worse; nothing where the range holds fewer than 12 places.
[[nodiscard]] std::optional<double> explained_by(const SecondArrival& arrival,
                                                 const FrequencyAxis& axis,
                                                 const std::vector<double>& level_db,
                                                 ValidRange range);
/// A curve less what the arrival adds to its level.
[[nodiscard]] Response without(const SecondArrival& arrival, const Response& curve);

}  // namespace lalometer
