#pragma once

#include "workbench/angles/equalise_study.h"
#include "workbench/angles/spin_study.h"
#include "workbench/telling/told.h"

namespace lalometer {

[[nodiscard]] Told told_of(const OrbitMaterial& material, const SpinReading& reading);
/// One circle: beamwidth, coverage, separation, index, map, narrowing, asymmetry.
[[nodiscard]] Told told_of_circle(const OrbitMaterial& material, Plane plane, double fall_db);
[[nodiscard]] Told told_of(const OrbitMaterial& material, const EqualiseAdvice& advice,
                           double sample_rate_hz);

}  // namespace lalometer
