#pragma once

#include <vector>

namespace lalometer {

/// A fractional-octave band with its exact edges, Hz.
struct Band {
  double low_hz;
  double centre_hz;
  double high_hz;
};

/// Exact mid-band and edge frequencies of 1/b-octave bands, base ten: G = 10^(3/10),
/// f_m = 1000 G^(x/b) for odd b and 1000 G^((2x + 1)/(2b)) for even b, edges f_m G^(-+1/(2b)).
/// Source: IEC 61260-1:2014, clauses 5.2 to 5.5.
///
/// @return the bands whose mid-band frequency lies in [low_hz, high_hz], rising.
///         Precondition: 0 < low_hz <= high_hz, bands_per_octave >= 1.
[[nodiscard]] std::vector<Band> fractional_octave_bands(double low_hz, double high_hz,
                                                        int bands_per_octave);

}  // namespace lalometer
