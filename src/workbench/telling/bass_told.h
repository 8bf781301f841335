#pragma once

#include "workbench/studies/join_study.h"
#include "workbench/telling/told.h"

namespace lalometer {

[[nodiscard]] Told told_of(const NearFields& near);
[[nodiscard]] Told told_of(const JoinedResponse& joined);

}  // namespace lalometer
