#pragma once

#include <complex>
#include <optional>
#include <vector>

#include "acoustics/baffle/diffraction.h"

namespace lalometer {

/// Far-field directivity of a round rigid piston in a wall: 2 J1(x) / x, x = k a sin(angle), 1 on
/// its axis; even in the angle, behind the wall as in front. -3 dB at x = 1.61, -6 dB at x = 2.21,
/// first null at x = 3.83. Source: Beranek, Acoustics, rigid circular piston.
[[nodiscard]] double piston_directivity(double radius_m, double angle_rad, double frequency_hz,
                                        double speed_of_sound_m_s);

/// Angle at which a piston is `below_db` down, rad; pi/2 where it never is within the half space.
[[nodiscard]] double piston_angle_rad(double radius_m, double below_db, double frequency_hz,
                                      double speed_of_sound_m_s);

/// A cone's radiating part shrinks above its break-up: a sqrt(f_b / f) (common practice, no
/// source); the whole radius below. @param breakup_hz  0: never.
[[nodiscard]] double effective_radius_m(double radius_m, double breakup_hz, double frequency_hz);

/// One of several sources: its pressure 1 m in front, without flight time, and how it beams about
/// +z.
struct SummedSource {
  BafflePoint place;
  std::complex<double> pressure_1m_pa;
  double radius_m = 0.0;  ///< 0: all round
};
/// Complex sum at any point: each source's 1 m pressure over its distance, with its directivity and
/// the phase of its own path.
[[nodiscard]] std::complex<double> summed_pressure_pa(const std::vector<SummedSource>& sources,
                                                      const BafflePoint& at, double frequency_hz,
                                                      double speed_of_sound_m_s);

/// Angle of the first null of two equal sources in phase, in the plane through both: path
/// difference half a wavelength, sin(angle) = lambda / 2 d. Nothing where they are too close for
/// one.
[[nodiscard]] std::optional<double> first_lobing_null_rad(double spacing_m, double frequency_hz,
                                                          double speed_of_sound_m_s);

}  // namespace lalometer
