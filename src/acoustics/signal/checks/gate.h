#pragma once

#include <optional>
#include <span>

#include "acoustics/signal/impulse_response.h"
#include "acoustics/spectrum/response.h"

namespace lalometer {

/// How a gate ends. In both cases the last quarter of it falls as a half Hann window.
enum class GateTail {
  kCut,  ///< what lies beyond the gate counts as zero
  /// What lies beyond is continued from a parabola through the gate's second half (Hann-weighted)
  /// as a slow decay. The bass tail of a loudspeaker runs on far beyond any indoor gate; cut off,
  /// it bends the curve by about h(T)/(2 pi f), which reaches half a decibel at 1/T. Continuing its
  /// value and slope takes out the first two terms of that error's asymptotic series in 1/f. It
  /// claims nothing below 1/T.
  kContinued,
};

/// The stretch of an impulse response that counts.
struct Gate {
  double arrival_s;       ///< from which the gate's length counts
  double length_s;        ///< T, after the arrival; > 0
  double lead_s = 0.001;  ///< kept before the arrival, rising as a half Hann window
  GateTail tail = GateTail::kContinued;
};

/// Transfer function of the gated response on a frequency axis: its flight time is out of the
/// phase.
///
/// H(f) = sum over the gate of h[n] w[n] exp(-j 2 pi f (t_n - arrival)). Valid from 1/T, also the
/// resolution, and only in the excited band.
/// The gate is cut to what the response holds; a gate without a sample inside gives zeros.
/// @param zero_s  the time that becomes phase zero, if it is another than the arrival.
[[nodiscard]] Response gated_response(const ImpulseResponse& response, const Gate& gate,
                                      const FrequencyAxis& axis, Quantity quantity,
                                      std::optional<double> zero_s = std::nullopt);

/// Transfer function without a gate: the whole response, flight time arrival_s taken out. Valid in
/// the excited band only, and in a room it is the room's as much as the loudspeaker's.
[[nodiscard]] Response ungated_response(const ImpulseResponse& response, double arrival_s,
                                        const FrequencyAxis& axis, Quantity quantity);

/// Lowest frequency a gate of this length can claim, 1/T, Hz.
[[nodiscard]] inline double valid_from_hz(double gate_length_s) {
  return 1.0 / gate_length_s;
}

/// The spectrum sum_n x[n] exp(-j 2 pi f (n - shift) / rate) at the axis' frequencies.
[[nodiscard]] std::vector<std::complex<double>> spectrum_on_axis(std::span<const double> x,
                                                                 double sample_rate_hz,
                                                                 double shift,
                                                                 const FrequencyAxis& axis);

}  // namespace lalometer
