#pragma once

#include "acoustics/spectrum/response.h"

namespace lalometer {

/// Fractional-octave smoothing with a rectangular window on log frequency, [f 2^(-1/2N), f
/// 2^(+1/2N)].
///
/// The window is integrated over log f by the trapezoidal rule on the curve's own points, with the
/// two ends of the window interpolated, so that the result does not depend on how dense the points
/// are and a flat curve stays exactly flat. At the ends of the axis the window is cut symmetrically
/// (in octaves), so that the smoothed curve does not lean.
///
/// @param bands_per_octave  N of 1/N octave, 1..96; 0 gives the curve back unchanged.
/// Magnitude: mean of |value|^2 over the window (power). Phase: that of the mean of the complex
/// values after the mean slope of the phase was taken out; curves without phase stay without.
[[nodiscard]] Response smoothed(const Response& curve, int bands_per_octave);

/// The same of a fine curve, read at the frequencies of another axis: all that lies in each window
/// counts, however coarse that axis is. 0: by straight lines in the complex plane, flight time out.
[[nodiscard]] Response smoothed_onto(const Response& fine, const FrequencyAxis& axis,
                                     int bands_per_octave);

/// The same window on the complex values themselves: magnitude and phase of the complex mean. It
/// lowers the level where the phase turns quickly, so flight time must be out of the curve first.
[[nodiscard]] Response complex_smoothed(const Response& curve, int bands_per_octave);

}  // namespace lalometer
