#pragma once

#include <complex>
#include <optional>
#include <string>
#include <vector>

#include "acoustics/spectrum/response.h"

/// Near fields of a loudspeaker's radiating parts, and what they make together.
/// Sources: D. B. Keele, J. Audio Eng. Soc. 22 (1974) 154; C. J. Struck, S. F. Temme, J. Audio Eng.
/// Soc. 42 (1994) 46; Beranek, Acoustics (the piston on its own axis).
namespace lalometer {

/// One radiating part: a cone, a passive radiator, or `count` equal ports of which one was taken.
struct NearSource {
  std::string id;
  double radius_m = 0.0;  ///< of a circle of its area; of one of several
  int count = 1;
  double microphone_m = 0.0;  ///< before the middle of its plane
  /// Middle of its mouth, for what one part adds at another one's microphone; in any coordinates.
  double x_m = 0.0, y_m = 0.0, z_m = 0.0;
  bool placed = false;  ///< false: nobody told where it is, and nothing of others is taken out
  int panel = 0;        ///< parts on one panel share its number
};

/// Pressure before the middle of a piston in a wall per its volume velocity, Pa s/m^3, the time
/// from its plane to the microphone taken out: rho c / (pi a^2) (1 - exp(-j k (sqrt(z^2 + a^2) -
/// z))). For k a << 1 and z = 0 it is j w rho / (pi a).
[[nodiscard]] std::complex<double> near_impedance(double radius_m, double microphone_m,
                                                  double frequency_hz, double speed_of_sound_m_s);

/// What of one part reaches another one's microphone, per volume velocity: a point in the wall they
/// share, j w rho / (2 pi d) exp(-j k d), half of it round a corner of the box.
[[nodiscard]] std::complex<double> crosstalk_impedance(const NearSource& from, const NearSource& to,
                                                       double frequency_hz,
                                                       double speed_of_sound_m_s);

/// Volume velocities of all parts (of all ports of a group together), m^3/s, from the pressures at
/// their microphones: one linear system per frequency, with what each part adds at the others'
/// microphones where their places are told. Element [source][frequency].
/// @param pressures  one per source, Pa, on one axis, phases on one clock.
/// @param share      how much of crosstalk_impedance() there is (crosstalk_share()).
[[nodiscard]] std::vector<std::vector<std::complex<double>>> volume_velocities(
    const std::vector<NearSource>& sources, const std::vector<Response>& pressures,
    double speed_of_sound_m_s, double share = 1.0);

/// How much of the geometry's crosstalk is in these takes, by the takes themselves. What a box does
/// makes U_cones / U_ports a + b f^2 + j (c f + d / f) (masses, leaks, absorption, a radiator's own
/// stiffness): with too much or too little of the other part in either take it bends off that. A
/// cabinet is no large wall, so the share is seldom quite 1.
/// @param cone       of each source: whether it is a cone.
/// @param least_hz   where the cones move least; 0.45 to 1.8 of it is looked at.
/// What the takes leave open stands in the half-width (95 %, from how the unexplained part grows
/// beside the best share).
struct CrosstalkShare {
  double value = kUsualShare;
  double half_width = kUsualShareOff;
  bool told = false;  ///< by the takes; else what cabinets usually have
  static constexpr double kUsualShare = 0.8;
  static constexpr double kUsualShareOff = 0.4;  ///< common practice, no source
};
/// The value lies between 0 and 1.3. Not told where no share leaves less than 4 % of the ratio
/// unexplained, or the half-width would exceed the usual one.
[[nodiscard]] CrosstalkShare crosstalk_share(const std::vector<NearSource>& sources,
                                             const std::vector<Response>& pressures,
                                             const std::vector<bool>& cone, double least_hz,
                                             double speed_of_sound_m_s);

/// How much of the pressure at each microphone is other parts', dB; the highest over a range.
/// Nothing where places are not told.
[[nodiscard]] std::vector<std::optional<double>> crosstalk_db(
    const std::vector<NearSource>& sources,
    const std::vector<std::vector<std::complex<double>>>& velocities, const FrequencyAxis& axis,
    double low_hz, double high_hz, double speed_of_sound_m_s, double share = 1.0);

/// Up to where a near field stands for the far one: k a = 1, c / (2 pi a) (Keele 1974).
[[nodiscard]] double near_field_limit_hz(double radius_m, double speed_of_sound_m_s);

}  // namespace lalometer
