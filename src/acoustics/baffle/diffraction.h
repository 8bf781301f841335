#pragma once

#include <complex>
#include <vector>

#include "acoustics/baffle/baffle.h"
#include "acoustics/spectrum/frequency_axis.h"

namespace lalometer {

/// The point at a distance and angles from a point of the front: horizontal positive to the right
/// as seen by someone who faces the front, i.e. toward +x; vertical positive upward. One of the two
/// is 0.
[[nodiscard]] BafflePoint point_at(double x_m, double y_m, double distance_m, double horizontal_rad,
                                   double vertical_rad);

enum class DiffractionEffort {
  kCoarse,  ///< first order only: while something is dragged
  kFine,    ///< first and second order
};

/// Pressure of a piston on a box over that of a point source of the same volume velocity in an
/// infinite baffle, j w rho U / (2 pi r) exp(-j k r), r from the piston's centre: complex, with the
/// piston's own directivity in it. In front of a very large baffle and far below the piston's
/// beaming it is 1; far below the step it is 1/2 in all directions (4 pi instead of 2 pi), a little
/// more where the box's acoustic centre is nearer than the piston, less where it is farther: +0.5
/// and -0.5 dB before and behind a box of 300 mm at 2 m.
///
/// Method: the direct sound (in front only) plus edge diffraction in the time domain by line
/// integrals along the edges, exact for each wedge: U. P. Svensson, R. I. Fred, J. Vanderkooy,
/// J. Acoust. Soc. Am. 106 (1999) 2331, eqs (27)-(30), with theta_w = 3 pi / 2. First order: the
/// four edges of the front. Second order: from these over the front or a side to every other edge
/// of that face (amplitudes on a face count its reflection, so that the chain needs no factor of
/// two). Orders beyond are closed by a term that makes the low-frequency limit exact
/// from afar: 1/2 minus the sum's own limit, with the mean second-order delay and a roll-off above
/// k sqrt(W H)/2 = 1; it is under 0.05 in fine effort. What the acoustic centre's distance makes of
/// that 1/2 rolls off an octave lower.
/// Against a boundary-element calculation (tests/reference/baffle_bem.py) on 210 x 380 x 300 mm
/// within 0.6 dB below 700 Hz and 0.4 dB above.
///
/// Round and chamfered edges spread the wedge's strength over the bend: a round edge of radius R as
/// a tail that dies over 1.2 R of path, a chamfered one as 74 % at its first bend and the rest a
/// chamfer and its depth later. That is a model of ours, fitted to boundary elements with bent
/// edges (tests/reference/bent_edge_bem.py) and right at both ends (k R << 1: a square edge; k R >>
/// 1: none); on the axis within 0.6 dB for bends of 15 to 30 mm up to 6 kHz, unproven at other
/// angles.
///
/// Behind the box the second order is the leading one; expect 2 to 3 dB there, and a step of up to
/// 1 dB where the listener passes the back's plane: the third order that would smooth it is
/// missing.
///
/// @param axis  any; the quadrature is refined for its highest frequency up to 20 kHz.
/// @param at    anywhere outside the box, at least 50 mm from it.
[[nodiscard]] std::vector<std::complex<double>> baffle_response(
    const Baffle& baffle, const BafflePiston& piston, const BafflePoint& at,
    const FrequencyAxis& axis, double speed_of_sound_m_s, DiffractionEffort effort);

/// The same piston in an infinite baffle, in the same measure: its directivity alone.
[[nodiscard]] std::vector<std::complex<double>> infinite_baffle_response(const BafflePiston& piston,
                                                                         const BafflePoint& at,
                                                                         const FrequencyAxis& axis,
                                                                         double speed_of_sound_m_s);

}  // namespace lalometer
