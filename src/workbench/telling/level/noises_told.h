#pragma once

#include "workbench/level/parts_study.h"
#include "workbench/level/rub_study.h"
#include "workbench/level/tones_study.h"
#include "workbench/telling/told.h"

namespace lalometer {

[[nodiscard]] Told told_of(const RubReading& reading);
/// @param good  what it was compared with, in words.
[[nodiscard]] Told told_of(const ResidueChange& change, const std::string& good);
[[nodiscard]] Told told_of(const AirNoise& noise);
[[nodiscard]] Told told_of(const PartsReading& reading);
/// @param first, second  names of the two takes.
[[nodiscard]] Told told_of(const MultitoneChange& change, const std::string& first,
                           const std::string& second);
[[nodiscard]] Told told_of(const SteadyCheck& check);

}  // namespace lalometer
