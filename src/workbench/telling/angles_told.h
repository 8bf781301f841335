#pragma once

#include "workbench/spin/angle_set.h"
#include "workbench/telling/told.h"

namespace lalometer {

[[nodiscard]] Told told_of(const CrossoverWindow& window);
/// Averages, figures and rating, and what they mean.
[[nodiscard]] Told told_of(const AngleReading& reading);
/// One circle: beamwidth, coverage, separation, index, map, narrowing, asymmetry.
[[nodiscard]] Told told_of(const OrbitMaterial& material, const CircleReading& reading);
[[nodiscard]] Told told_of(const OrbitMaterial& material, const EqualiseAdvice& advice,
                           double sample_rate_hz);

}  // namespace lalometer
