#pragma once

#include "acoustics/baffle/diffraction.h"

namespace lalometer {

/// Whether a depth is so small that box_response() takes the panel's answer into account.
[[nodiscard]] bool is_shallow(const Baffle& baffle);

/// baffle_response() in fine effort for a box of any depth.
///
/// The edges' second order takes no account of a back that is near. A shallow box is in the bass
/// what a thin panel is with its rear closed: half the infinite baffle's answer and half the thin
/// panel's (the part that is alike on both sides, and the one that is opposite), the panel as much
/// wider and higher as the box is deep, since the sound goes round that depth too. That holds up to
/// a depth of a fifth of the front's mean side, goes over into the edges' answer until two fifths,
/// and above k sqrt(W H) = 3.5 to 5 the edges' answer holds for every depth. The widening and the
/// limits were fitted to boundary elements of 400 x 600 mm, 50 to 300 mm deep; on the axis within
/// 0.9 dB of them from 50 to 900 Hz, where the edges alone are up to 1.0, and at 20 mm 1.9 dB off.
/// At other angles, 50 and 100 mm deep: 45 degrees within 0.6 dB up to 500 Hz, 90 degrees within
/// 0.6 up to 300 Hz and 2.1 above, behind 1.4 up to 300 Hz and 2.3 above, as the edges' answer is.
/// A new shallow box takes half a second (ThinPanel); it is kept.
[[nodiscard]] std::vector<std::complex<double>> box_response(
    const Baffle& baffle, const BafflePiston& piston, const BafflePoint& at,
    const FrequencyAxis& axis, double speed_of_sound_m_s, DiffractionEffort effort);

}  // namespace lalometer
