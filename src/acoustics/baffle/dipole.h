#pragma once

#include <complex>
#include <vector>

#include "acoustics/spectrum/frequency_axis.h"
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
};
[[nodiscard]] Result<void> check(const OpenBaffle& baffle);

/// On-axis pressure far away over that of the driver in an infinite baffle. The front's wave loses
/// half of itself at the edges, and the back's comes round them with the other half's size, both
/// inverted: 1 - (1/2 pi) int (exp(-j k d) + exp(-j k d_back)) / 2 dphi, d the way to the edge in
/// direction phi, d_back the way behind to the wing's rear edge and forward again. First peak near
/// c/2D, null near c/D of a round baffle with D = d; falls 6 dB per octave below. Source: the edge
/// as a ring of sources, J. Vanderkooy, J. Audio Eng. Soc. 39 (1991) 923, in its simplest form.
/// A U-frame's cavity resonance (open_cavity_hz) is not in it; open_baffle_factor() takes it in
/// where the circuit gives the rear's share.
[[nodiscard]] std::vector<std::complex<double>> open_baffle_response(const OpenBaffle& baffle,
                                                                     const FrequencyAxis& axis,
                                                                     double speed_of_sound_m_s);

/// The same at one frequency, with the rear wave `rear_share` times the front's (1: a flat panel; a
/// duct's share from solve_box() brings its resonance in).
[[nodiscard]] std::complex<double> open_baffle_factor(const OpenBaffle& baffle, double frequency_hz,
                                                      double speed_of_sound_m_s,
                                                      std::complex<double> rear_share = 1.0);

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
