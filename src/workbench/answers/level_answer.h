#pragma once

#include "workbench/level/distortion_study.h"
#include "workbench/sharing/importing.h"

namespace lalometer {

/// The impulse response or sweep that a decay is told of: nearest to the axis, far fields first.
/// Null where there is none. @param source  near field of that part; empty: any.
[[nodiscard]] const ImportItem* decay_item(const ImportPreview& preview, const std::string& driver,
                                           const std::string& source);

/// Sweeps of one place, and the one whose drive is nearest to 2.83 V.
struct LevelAnswer {
  std::vector<const ImportItem*> items;                            ///< as they stand in the preview
  std::vector<std::shared_ptr<const DistortionReading>> readings;  ///< of each
  std::size_t usual = 0;
};
/// @return nothing in it where no sweep of that driver or source was found.
[[nodiscard]] Result<LevelAnswer> level_answer(const ImportPreview& preview, const LevelWish& wish,
                                               const HarmonicsWish& harmonics);

}  // namespace lalometer
