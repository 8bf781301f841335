#pragma once

#include <span>

#include "acoustics/signal/impulse_response.h"

namespace lalometer {

/// Excited band of a reference signal.
struct Band_hz {
  double low_hz;
  double high_hz;
};

/// Impulse response from a recording and its reference, both of one length and rate, by regularised
/// division of spectra: H = Y conj(R) / (|R|^2 + e). Inside the excited band e is 1e-10 of the
/// largest |R|^2 (a sweep's spectrum falls 3 dB per octave, over eleven octaves by a factor of
/// 2000, so the bias stays under 1e-5 dB); outside e rises to the largest |R|^2 over a twelfth of
/// an octave, which lets nothing through that was not excited. The product is circular over the
/// recording: the recording must be long enough for the response to die, and what stands before t =
/// 0 is found at its end.
///
/// With the loopback as reference neither latency nor the interface's own response matters, and t =
/// 0 is the moment the signal left the converter; with the ideal stimulus as reference the latency
/// is in.
///
/// @param recording, reference  equal length >= 2, padded here to a fast length with zeros.
/// @param excited  0 < low < high.
/// @param before_s  how much time before t = 0 is told apart from late time: the product is
/// circular,
///                  and a sweep's harmonics come that much earlier. At most six tenths of the
///                  length; 0: a quarter of it.
/// @return zero_at at before_s.
[[nodiscard]] ImpulseResponse deconvolve(std::span<const double> recording,
                                         std::span<const double> reference, double sample_rate_hz,
                                         Band_hz excited, double before_s = 0.0);

}  // namespace lalometer
