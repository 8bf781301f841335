#pragma once

#include "acoustics/level/harmonics.h"

/// What a measured power and the noise in it make of a harmonic's value: the same for sweeps and
/// steady tones.
namespace lalometer {

/// How strong the noise is in one value, and how many independent ones were averaged into it.
struct ValueNoise {
  double power = 0.0;  ///< in the value itself
  double whole = 0.0;  ///< in all that was recorded of it
  double lines = 1.0;
};

/// Magnitude, floor, spread and upper end of value `i`, which must be there.
/// @param least  below it nothing is told (the microphone's own distortion), in the value's unit.
void set_value(Harmonic& h, std::size_t i, double power, double phase, const ValueNoise& noise,
               double least);

/// THD of all orders, once they are set.
void add_thd(Harmonics& h);

}  // namespace lalometer
