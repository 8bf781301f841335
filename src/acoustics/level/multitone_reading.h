#pragma once

#include <span>
#include <vector>

#include "base/result.h"

namespace lalometer {

/// What is heard of a multitone: its tones, and all that is none of them.
struct MultitoneReading {
  std::vector<double> tones_hz;  ///< as played, rising
  std::vector<double> tone;      ///< rms of each, in the signal's unit
  std::vector<double> band_hz;   ///< third octaves (IEC 61260), middles
  std::vector<double> rest;  ///< rms of all else in each band; NaN where the tones leave no room
  /// Rms of each tone's sidebands: what lies beside it at the distances of the tones below a
  /// quarter of it, noise taken out, 0 where noise alone would do. Where another sum or difference
  /// of two tones falls on one side the other side counts for both. So a tone is heard that a
  /// slower motion modulates. Empty where a window was needed.
  std::vector<double> sidebands;
  double recorder_rate = 1.0;  ///< recorder's clock over the player's, by the tones themselves
  double from_s = 0.0;         ///< the stretch that was read
  double length_s = 0.0;

  /// Mean tone (of dB) over the loudest of the bands from 100 Hz to 10 kHz, or between the lowest
  /// and the highest tone where that is less, dB; NaN where there is none.
  [[nodiscard]] double range_db() const;
};

/// Of the stretch in which the signal plays, a fifth of a second left out at both ends. Where all
/// tones come round together within half of it, whole periods are read without a window, so that a
/// product beside a tone has its own line; the recorder's clock is taken out first. Otherwise a
/// four-term Blackman-Harris window (-92 dB) is used, a tone is its main lobe's power, and of what
/// lies under the lobes only the noise counts, by the median of the lines that are left: then bands
/// below 100 Hz may read some decibels low.
///
/// @param tones_hz  what was played, at least two; any order.
/// @return an error where no stretch of 0.5 s plays, or two tones lie closer than nine lines.
[[nodiscard]] Result<MultitoneReading> read_multitone(std::span<const double> signal,
                                                      double sample_rate_hz,
                                                      std::vector<double> tones_hz);

}  // namespace lalometer
