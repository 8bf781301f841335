#pragma once

#include <complex>

namespace lalometer {

/// A conical horn or waveguide on a driver: walls at an angle from throat to mouth.
struct Waveguide {
  double throat_radius_m;  ///< > 0, less than the mouth's
  double mouth_radius_m;   ///< > 0
  double half_angle_rad;   ///< between axis and wall, 0 < angle < pi / 2

  /// From the cone's apex along the wall to throat and mouth.
  [[nodiscard]] double throat_from_apex_m() const;
  [[nodiscard]] double mouth_from_apex_m() const;
  /// Of the spherical cap that the wave front is at throat and mouth, m^2.
  [[nodiscard]] double throat_area_m2() const;
  [[nodiscard]] double mouth_area_m2() const;
};

/// What the throat loads the driver with, Pa s/m^3: rho c / S * j k r / (1 + j k r), r from the
/// apex to the throat. No reflection from the mouth. Source: Beranek, Acoustics, conical horns.
[[nodiscard]] std::complex<double> throat_load_pa_s_m3(const Waveguide& guide, double frequency_hz,
                                                       double speed_of_sound_m_s);

/// Volume velocity at the mouth over that at the throat, phase of the way between them included:
/// (1 + j k r_mouth) / (1 + j k r_throat) exp(-j k (r_mouth - r_throat)). Follows from the
/// spherical wave between the walls.
[[nodiscard]] std::complex<double> mouth_gain(const Waveguide& guide, double frequency_hz,
                                              double speed_of_sound_m_s);

/// Far-field pressure of the cap at the mouth over that of a point source of its volume velocity at
/// the centre of the mouth's plane: (1 / (1 - cos t0)) int_0^t0 J0(k R sin t sin a)
/// exp(+j k R (cos t - cos t0) cos a) sin t dt, R = mouth_from_apex_m(), t0 the half angle. 1 far
/// below; covers about the angle of the walls where the mouth is several wavelengths wide, and is
/// narrower than that where it is about one. In front only (|angle| <= pi / 2; behind as at pi/2).
/// Source: the cap as a surface of point sources in the plane of the mouth (Rayleigh), which holds
/// for caps that are flat against their width.
[[nodiscard]] std::complex<double> waveguide_directivity(const Waveguide& guide, double angle_rad,
                                                         double frequency_hz,
                                                         double speed_of_sound_m_s);

}  // namespace lalometer
