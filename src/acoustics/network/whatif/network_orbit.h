#pragma once

#include "acoustics/directivity/orbit.h"
#include "acoustics/network/whatif/network_sum.h"

namespace lalometer {

/// The loudspeaker that a network makes, as a set of angles: what the spinorama, the map and the
/// in-room curve are made of. Its angles are those that every driver was taken at; nothing is
/// mirrored.
[[nodiscard]] Result<Orbit> orbit_of(const NetworkSum& sum);

}  // namespace lalometer
