#pragma once

#include "acoustics/spectrum/response.h"

namespace lalometer {

/// How a magnitude goes on beyond its data, in dB an octave upward: a fourth-order high-pass has
/// 24 below, a second-order low-pass -12 above.
struct TailSlopes {
  double below_db = 0.0;
  double above_db = 0.0;
};

/// The curve's magnitude with minimum phase, on its own axis; what phase it had does not count.
///
/// Bode's relation between gain and phase, phi(w) = 1/pi * integral of dA/du ln coth |u/2| du with
/// u = ln(w'/w) and A the natural logarithm of the magnitude, solved exactly for a magnitude that
/// runs straight in dB over log f between its points and along `tails` beyond them. The integral of
/// ln coth is Legendre's chi function. No transform, so that any axis will do and no edge wraps.
/// Magnitudes of nothing count as -400 dB.
/// Source: H. W. Bode, Network Analysis and Feedback Amplifier Design, 1945, chapter XIV.
[[nodiscard]] Response with_minimum_phase(const Response& curve, TailSlopes tails = {});

/// The same relation on an even grid of ln f: the phase, in radians, that goes with these natural
/// logarithms of a magnitude, straight between their points and at these slopes (ln |H| over ln f)
/// beyond them. @param step  of ln f, above 0.
[[nodiscard]] std::vector<double> minimum_phase_on_grid(const std::vector<double>& log_magnitude,
                                                        double step, double slope_below,
                                                        double slope_above);

/// Slopes over the curve's outermost octaves within its valid range, by least squares.
[[nodiscard]] TailSlopes end_slopes(const Response& curve);

}  // namespace lalometer
