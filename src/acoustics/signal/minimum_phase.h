#pragma once

#include <vector>

#include "acoustics/signal/fft.h"

namespace lalometer {

/// Spectrum of the minimum-phase system with the given magnitude, by the folded real cepstrum.
///
/// @param magnitude  |H| at k = 0 .. N/2 of an N-point transform, all > 0; N = 2 (size - 1). The
/// cepstrum must
///                   die within N/2 samples, so the magnitude must be smooth over many bins.
/// Source: A. V. Oppenheim, R. W. Schafer, Discrete-Time Signal Processing, section on the
/// Hilbert-transform relations for the complex cepstrum.
[[nodiscard]] Spectrum minimum_phase(const std::vector<double>& magnitude);

/// The same in logarithms, natural ones: those of the magnitudes in, those of the system out (its
/// phase in the imaginary part), where few of its bins are wanted.
[[nodiscard]] Spectrum minimum_phase_logs(const std::vector<double>& log_magnitude);

}  // namespace lalometer
