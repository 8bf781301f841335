#pragma once

#include "base/result.h"

namespace lalometer {

/// An open baffle: a flat panel with a driver, whose side panels (wings) go back by some depth; two
/// equal wings with the back open make a U-frame. x from the panel's left edge, y from its lower
/// edge.
struct OpenBaffle {
  double width_m;
  double height_m;
  double driver_x_m;
  double driver_y_m;
  double left_wing_m = 0.0;
  double right_wing_m = 0.0;
  friend bool operator==(const OpenBaffle&, const OpenBaffle&) = default;
};
[[nodiscard]] Result<void> check(const OpenBaffle& baffle);

/// Mean way from front to back around the edges, m, and the rules of its first peak and null.
struct DipoleRule {
  double path_m;
  double peak_hz;  ///< c / 2D
  double null_hz;  ///< c / D
};
[[nodiscard]] DipoleRule dipole_rule(const OpenBaffle& baffle, double speed_of_sound_m_s);

/// Quarter-wave resonance of a U-frame's cavity, c / (4 (L + 0.613 r)), r the radius of a circle of
/// its opening (end correction: Beranek, Acoustics). Common practice.
[[nodiscard]] double open_cavity_hz(double depth_m, double opening_m2, double speed_of_sound_m_s);

}  // namespace lalometer
