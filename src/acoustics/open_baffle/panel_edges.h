#pragma once

#include <complex>
#include <vector>

#include "acoustics/baffle/diffraction.h"
#include "acoustics/open_baffle/dipole.h"

namespace lalometer {

/// Front minus rear of a driver in a thin panel where the panel is large beside the wave, in the
/// measure of ThinPanel: direct sound, and edges of first and second order. Far below it is wrong:
/// the orders beyond the second are missing.
[[nodiscard]] std::vector<std::complex<double>> panel_edges_response(const OpenBaffle& panel,
                                                                     const BafflePoint& at,
                                                                     double radius_m,
                                                                     const FrequencyAxis& axis,
                                                                     double speed_of_sound_m_s);

}  // namespace lalometer
