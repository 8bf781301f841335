#pragma once

#include <vector>

#include "acoustics/spectrum/frequency_axis.h"

namespace lalometer {

/// A real impulse response. Sample n stands at t = (n - zero_at) / sample_rate_hz; negative times
/// (harmonics of a sweep, pre-ringing) are the samples before zero_at. Scaled so that its spectrum
/// sum h exp(-jwt) is the transfer function.
struct ImpulseResponse {
  std::vector<double> samples;
  double sample_rate_hz = 48000.0;
  /// Position of t = 0, the moment of excitation, in samples; may lie between samples or outside.
  double zero_at = 0.0;
  /// Band that was excited; nothing is known outside it.
  ValidRange excited;

  [[nodiscard]] double time_s(std::size_t i) const {
    return (static_cast<double>(i) - zero_at) / sample_rate_hz;
  }
};

}  // namespace lalometer
