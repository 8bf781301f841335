#pragma once

#include "acoustics/signal/impulse_response.h"
#include "acoustics/spectrum/response.h"

namespace lalometer {

/// The impulse of a response that was stored as magnitude and phase, for its decay: inverse
/// transform of the band where it is valid, faded out over an octave below and a third above, at
/// 48 kHz (more where it reaches higher), 0.34 s long, t = 0 where its phase counts from. Lists
/// that are sparse over log f know their late decay no longer than one over their spacing.
/// Precondition: the curve has phase.
[[nodiscard]] ImpulseResponse impulse_of(const Response& curve);

}  // namespace lalometer
