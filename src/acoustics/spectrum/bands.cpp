#include "acoustics/spectrum/bands.h"

#include <cmath>

namespace lalometer {

std::vector<Band> fractional_octave_bands(double low_hz, double high_hz, int bands_per_octave) {
  constexpr double kReference_hz = 1000.0;
  const double octave_log10 = 0.3;  // G = 10^(3/10)
  const double b = bands_per_octave;
  const double offset = bands_per_octave % 2 == 1 ? 0.0 : 0.5;
  const auto index_of = [&](double f) {
    return b * std::log10(f / kReference_hz) / octave_log10 - offset;
  };
  // The allowance keeps a limit that is itself a mid-band frequency inside.
  const auto first = static_cast<int>(std::ceil(index_of(low_hz) - 1e-9));
  const auto last = static_cast<int>(std::floor(index_of(high_hz) + 1e-9));
  const double half_band = std::pow(10.0, octave_log10 / (2.0 * b));
  std::vector<Band> bands;
  for (int x = first; x <= last; ++x) {
    const double centre = kReference_hz * std::pow(10.0, octave_log10 * (x + offset) / b);
    bands.push_back({centre / half_band, centre, centre * half_band});
  }
  return bands;
}

}  // namespace lalometer
