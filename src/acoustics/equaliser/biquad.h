#pragma once

#include <array>
#include <complex>
#include <string_view>
#include <vector>

namespace lalometer {

enum class BiquadKind { kPeaking, kLowShelf, kHighShelf };
/// "peaking", "low-shelf", "high-shelf".
[[nodiscard]] std::string_view word_of(BiquadKind kind);

/// One parametric filter.
struct BandFilter {
  BiquadKind kind = BiquadKind::kPeaking;
  double frequency_hz = 1000.0;
  double gain_db = 0.0;
  double q = 1.0;  ///< of a shelf: its steepness by the same formula
};

/// Coefficients of a second-order section, a[0] = 1: y = b0 x + b1 x' + b2 x'' - a1 y' - a2 y''.
/// By the bilinear transform as R. Bristow-Johnson's cookbook formulae for audio equalizer biquads
/// have it.
struct Biquad {
  std::array<double, 3> b{1.0, 0.0, 0.0};
  std::array<double, 3> a{1.0, 0.0, 0.0};
  [[nodiscard]] std::complex<double> at(double frequency_hz, double sample_rate_hz) const;
};
[[nodiscard]] Biquad biquad_of(const BandFilter& filter, double sample_rate_hz);

/// Gain of all in a row, dB.
[[nodiscard]] double gain_db(const std::vector<BandFilter>& filters, double frequency_hz,
                             double sample_rate_hz);

}  // namespace lalometer
