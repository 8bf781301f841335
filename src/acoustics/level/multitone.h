#pragma once

#include <vector>

#include "base/result.h"

namespace lalometer {

/// What a multitone is to be: tones about evenly spaced on a logarithmic axis, all whole multiples
/// of one over the period.
struct MultitoneWish {
  double low_hz = 20.0;
  double high_hz = 20000.0;
  double tones_per_octave = 3.0;
  double period_s = 2.0;
  double sample_rate_hz = 48000.0;
  /// Of the tones chosen so only these are played: parts of one multitone, to be compared.
  double part_from_hz = 0.0;
  double part_to_hz = 1e12;
};

struct Multitone {
  std::vector<double> tones_hz;
  std::vector<double> phases_rad;  ///< of sines at t = 0
  std::vector<double> period;      ///< one period, peak 1; repeated, it has no seam
  double crest = 0.0;              ///< peak over rms
};

/// Tones at odd multiples of 1 / period_s: products of even order lie at even ones, where no tone
/// is. Of the odd multiples near each place the one is taken that fewest products of third order
/// (a + b - c, 2a - b, 2a + b, 3a) of the others fall on: of 20 Hz to 20 kHz, three to an octave,
/// 34 in a period of 1 s, 7 of 2 s, 1 of 4 s; two to an octave 5, 0, 0. Phases begin as Schroeder's
/// (IEEE Trans. Inf. Theory 16 (1970) 85) and are then clipped and restored by turns (E. van der
/// Ouderaa, J. Schoukens, J. Renneboog, IEEE Trans. Instrum. Meas. 37 (1988) 207). Tones this far
/// apart meet in nearly every way within a period, so little is to be won: a crest factor of 3.6 to
/// 4.2 (11 to 12.5 dB), up to 0.7 under Schroeder's.
/// @return an error where fewer than two tones fit, or they lie closer than two multiples.
[[nodiscard]] Result<Multitone> multitone(const MultitoneWish& wish);

/// How many products of third order of all tones fall on a tone that is not part of them.
[[nodiscard]] int third_order_collisions(const std::vector<int>& multiples);

}  // namespace lalometer
