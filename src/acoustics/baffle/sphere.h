#pragma once

#include <complex>
#include <vector>

#include "acoustics/spectrum/frequency_axis.h"

namespace lalometer {

/// Pressure of a point source on a rigid sphere over that of the same source in an infinite baffle,
/// j w rho U / (2 pi s) exp(-j k s), s from the source: exact series
/// p = -(j rho c U / (4 pi a^2)) sum (2 n + 1) P_n(cos t) h_n(k r) / h_n'(k a), h_n spherical
/// Hankel functions of the second kind (exp(+j w t)). Limits: 1/2 far below k a = 1, 1 on the axis
/// far above. Source: P. M. Morse, K. U. Ingard, Theoretical Acoustics, section 7.2; shapes in H.
/// F. Olson, J. Audio Eng. Soc. 17 (1969) 22 (reprint of 1951).
///
/// @param radius_m    a > 0; distance_m from the source point along the listener's direction >=
/// 0.05 a.
/// @param angle_rad   between the source's axis and the listener as seen from the sphere's centre.
[[nodiscard]] std::vector<std::complex<double>> sphere_response(double radius_m,
                                                                double distance_from_centre_m,
                                                                double angle_rad,
                                                                const FrequencyAxis& axis,
                                                                double speed_of_sound_m_s);

}  // namespace lalometer
