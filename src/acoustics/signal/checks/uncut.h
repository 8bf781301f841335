#pragma once

#include <complex>
#include <vector>

#include "acoustics/signal/impulse_response.h"
#include "acoustics/spectrum/response.h"

namespace lalometer {

/// A transfer function as the whole record tells it, on the record's own grid of frequencies: no
/// window has cut its bass off. The flight time to `arrival_s` is out of its phase.
struct UncutSpectrum {
  double step_hz = 0.0;
  std::vector<std::complex<double>> bins;  ///< from 0 Hz on
  double arrival_s = 0.0;
  ValidRange excited;  ///< bins outside it mean nothing
};

/// Spectrum of an impulse response of which nothing was cut off, less what lies well before its
/// arrival: there the harmonics of an exponential sweep stand (Farina 2000).
///
/// A response that ends sharply at the sweep's first frequency rings for seconds to both sides, and
/// a window over that changes the bass. So before the window the spectrum is continued below the
/// excited band as a power of frequency, magnitude and phase as the lowest half octave go, and
/// above it fades within a third of an octave; what then rings is the loudspeaker and the room.
///
/// @param response      as deconvolve() gives it.
/// @param arrival_s     of the direct sound, on its clock.
/// @param harmonics_s   by how much the second harmonic is ahead of the arrival; 0: there are none.
[[nodiscard]] UncutSpectrum uncut_spectrum(const ImpulseResponse& response, double arrival_s,
                                           double harmonics_s);

/// Read on an axis, phase zero at `zero_s`. With smoothing the power of all that lies in each
/// band of 1/N octave counts, not a few samples of it: a room's ripple is far finer than an axis.
/// @param bands_per_octave  N; 0: as it stands at each frequency.
[[nodiscard]] Response response_on(const UncutSpectrum& spectrum, double zero_s,
                                   const FrequencyAxis& axis, int bands_per_octave,
                                   Quantity quantity);

}  // namespace lalometer
