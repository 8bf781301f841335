#pragma once

#include "workbench/reading/lane_content.h"

/// Every lane of the score: a line here and a file of its name beside this one. In the order in
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
  LANE(step)

namespace lalometer::lanes {

#define LALOMETER_DECLARE_LANE(name) [[nodiscard]] LaneKind name();
LALOMETER_LANES(LALOMETER_DECLARE_LANE)
#undef LALOMETER_DECLARE_LANE

}  // namespace lalometer::lanes
