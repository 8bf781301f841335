#pragma once

#include <utility>
#include <vector>

namespace lalometer {

/// What the whole loudspeaker's level should do over frequency, re itself: added up. Nothing told
/// is flat.
struct SystemTarget {
  double slope_db_per_octave = 0.0;
  /// A dip of so many dB (below 0: a rise), deepest in the middle between two frequencies by ratio:
  /// one wave of a cosine over log f, nothing outside.
  double dip_db = 0.0, dip_from_hz = 1000.0, dip_to_hz = 5000.0;
  /// Drawn: frequency and dB, rising in frequency; straight lines over log f, level beyond its
  /// ends.
  std::vector<std::pair<double, double>> drawn = {};

  [[nodiscard]] bool flat() const;
  /// dB at a frequency > 0; the slope counts from 1 kHz.
  [[nodiscard]] double at(double frequency_hz) const;
};

}  // namespace lalometer
