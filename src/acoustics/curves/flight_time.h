#pragma once

#include "acoustics/spectrum/response.h"

namespace lalometer {

/// The flight time that a curve's phase holds, s, where it turns so far from point to point that
/// the shortest way between two of them is the wrong one; 0 where it does not (no step of more than
/// a quarter of a turn), or where there is no phase. A list of 12 points an octave at 1 m has a
/// half turn between its points from 2.9 kHz on.
///
/// The delay that, taken out, lets the phase turn least from point to point: the largest sum of
/// cos(step + delay * difference of angular frequency), looked for from -2 ms to 80 ms; of
/// delays that do alike (even steps of frequency repeat themselves) the shortest.
[[nodiscard]] double flight_time_in(const Response& curve);

}  // namespace lalometer
