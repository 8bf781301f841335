#pragma once

#include "workbench/bass/box_check.h"
#include "workbench/bass/join_study.h"
#include "workbench/telling/told.h"

namespace lalometer {

[[nodiscard]] Told told_of(const NearFields& near);
/// Added to what near fields tell: standing waves in the cone's near field, output that is missing.
void put_box(Told& told, const std::vector<ConeWave>& waves,
             const std::optional<MissingOutput>& missing);
[[nodiscard]] Told told_of(const JoinedResponse& joined);

}  // namespace lalometer
