#pragma once

#include "workbench/reading/lane_content.h"

/// Every lane of the score: a line here and a file beside this one or in
/// angles/ and
/// level/. In the order in
/// which they are offered.
#define LALOMETER_LANES(LANE) \
  LANE(impulse)               \
  LANE(level)                 \
  LANE(impedance)             \
  LANE(ripple)                \
  LANE(predictions)           \
  LANE(edges)                 \
  LANE(phase)                 \
  LANE(difference)            \
  LANE(near_field)            \
  LANE(bass)                  \
  LANE(excess)                \
  LANE(delay)                 \
  LANE(step)                  \
  LANE(spinorama)             \
  LANE(angles_horizontal)     \
  LANE(angles_vertical)       \
  LANE(beamwidth)             \
  LANE(directivity_index)     \
  LANE(asymmetry)             \
  LANE(listening_axes)        \
  LANE(angles_difference)     \
  LANE(equalised)             \
  LANE(harmonics)             \
  LANE(thd)                   \
  LANE(compression)           \
  LANE(multitone)             \
  LANE(rub)                   \
  LANE(decay)                 \
  LANE(burst_decay)           \
  LANE(bass_decay)            \
  LANE(energy)

namespace lalometer::lanes {

#define LALOMETER_DECLARE_LANE(name) [[nodiscard]] LaneKind name();
LALOMETER_LANES(LALOMETER_DECLARE_LANE)
#undef LALOMETER_DECLARE_LANE

}  // namespace lalometer::lanes
