#pragma once

#include "workbench/level/decay_study.h"
#include "workbench/level/distortion_study.h"
#include "workbench/level/tones_study.h"
#include "workbench/telling/told.h"

namespace lalometer {

[[nodiscard]] Told told_of(const DistortionReading& reading);
/// Added to what one sweep tells: all drives at its place.
void put_levels(Told& told, const LevelsReading& levels);
[[nodiscard]] Told told_of(const MultitoneStudy& study);
[[nodiscard]] Told told_of(const DecayReading& reading);

}  // namespace lalometer
