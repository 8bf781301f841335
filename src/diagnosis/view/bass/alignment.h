#pragma once

#include <optional>

#include "acoustics/impedance/fit/box_fit.h"

namespace lalometer {

/// How a vented box's own response stands against the best that another tuning of the same driver
/// in the same volume would give. By the fitted circuit, half space.
struct Alignment {
  double hump_db = 0.0;  ///< above the mean from 4 to 8 times the driver's resonance
  double f3_hz = 0.0;    ///< re that mean
  double best_f3_hz = 0.0;
  double best_fb_hz = 0.0;  ///< the lowest F3 with a hump of at most 1 dB
};
/// Nothing where no tuning between half and twice the driver's resonance stays without a hump.
[[nodiscard]] std::optional<Alignment> alignment_of(const BoxFit& fit);

/// The same where the curve begins above the lower hump: the driver from free air, the tuning as
/// drawn, and from the upper hump what the box's air adds, by fL fH = fs fB and fL^2 + fH^2 = fs^2
/// (1 + alpha) + fB^2 (Small 1973, without losses).
[[nodiscard]] std::optional<Alignment> alignment_of(const DriverFit& free_air, double upper_hump_hz,
                                                    double tuning_hz);

}  // namespace lalometer
