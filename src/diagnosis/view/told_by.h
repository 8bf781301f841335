#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "diagnosis/view/view.h"

namespace lalometer {

/// Which takes the figures of a sentence are of.
enum class ToldBy {
  kNoTake,  ///< the drawing, or all of them
  kAxis,
  kSides,   ///< 9 to 75 degrees to the sides
  kUpDown,  ///< 9 to 46 degrees up and down
  kBehind,
  kLargeBaffle,
  kNear,   ///< near fields of the state
  kAlone,  ///< a driver alone on the axis
  kFlipped,
  kInBox,    ///< the impedance in the box
  kInBoxes,  ///< of all states
  kFreeAir,  ///< and in free air
};

/// Their ids, those of the driver that leads first where it matters; none that have no id.
[[nodiscard]] std::vector<std::int64_t> takes_of(const CaseView& view, ToldBy by,
                                                 const std::string& lead);

}  // namespace lalometer
