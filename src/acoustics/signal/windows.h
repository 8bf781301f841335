#pragma once

#include <cstddef>
#include <vector>

namespace lalometer {

/// Symmetric windows of n >= 1 samples, peak 1; n = 1 gives {1}. The symmetric form, as
/// scipy.signal.get_window gives it with fftbins = False. Source: F. J. Harris, Proc. IEEE 66
/// (1978), "On the use of windows".
[[nodiscard]] std::vector<double> hann(std::size_t n);
/// Four-term Blackman-Harris, -92 dB side lobes (Harris 1978, table I).
[[nodiscard]] std::vector<double> blackman_harris(std::size_t n);
/// Cosine-tapered window; alpha in [0, 1] is the tapered share, 0 rectangular, 1 Hann.
[[nodiscard]] std::vector<double> tukey(std::size_t n, double alpha);

/// Falling half of a Hann window at t in [0, 1]: 1 at 0, 0.5 at 1/2, 0 at 1; clamped outside.
[[nodiscard]] double falling_half_hann(double t);

}  // namespace lalometer
