#pragma once

#include "acoustics/network/ladder.h"

namespace lalometer {

enum class LadderPass { kLow, kHigh };

/// Butterworth ladder of order 1..4 from a source without resistance into a resistive load: -3 dB
/// at the corner. Elements of the singly terminated prototypes (order 4: 1.5307, 1.5772, 1.0824,
/// 0.3827). Source: textbook tables, e.g. A. I. Zverev, Handbook of Filter Synthesis.
/// Precondition: 1 <= order <= 4, corner and load > 0.
[[nodiscard]] Ladder butterworth_ladder(LadderPass pass, int order, double corner_hz,
                                        double load_ohm);

/// Pad before a load: leaves `ratio` (0..1] of the voltage and shows the load's own resistance to
/// the network. Empty for a ratio of 1 and above.
[[nodiscard]] Ladder attenuator_pad(double ratio, double load_ohm);

/// Series resistor and capacitor across a driver that make its rising impedance resistive: R = Re,
/// C = Le / Re^2. Source: textbook, conjugate of R + j w L.
[[nodiscard]] LadderPart impedance_compensation(double re_ohm, double le_h);

/// Coil, capacitor and resistor in series across a driver: takes a peak at its frequency down. q is
/// that of the trap itself, sqrt(L/C) / R.
[[nodiscard]] LadderPart trap(double frequency_hz, double q, double resistance_ohm);

}  // namespace lalometer
