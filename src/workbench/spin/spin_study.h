#pragma once

#include "acoustics/impedance/estimate.h"
#include "acoustics/spin/spinorama.h"
#include "base/progress.h"
#include "workbench/angles/orbit_material.h"

namespace lalometer {

/// All that CTA-2034-A and the preference rating make of a set of angles.
struct SpinReading {
  Spinorama spin;
  Preference preference;
  std::optional<Estimate> sensitivity_db;  ///< mean of 300 Hz to 3 kHz on the axis, 2.83 V, 1 m
  std::optional<Estimate> f3_hz, f6_hz, f10_hz;
  std::optional<Estimate> deviation_db;  ///< half of highest less lowest on the axis, in its band
  ValidRange deviation_over = {0.0, 0.0};
  std::optional<Estimate> slope_db_per_octave;  ///< of the predicted in-room response
  std::optional<Estimate> score;
  std::vector<std::string> notes = {};
};

/// Figures with intervals: the set is made again 48 times with each angle 0.5 degrees and the
/// microphone 3 mm off (twice the standard deviation), noise as told, the microphone's correction
/// off by a smooth 0.2 dB alike at all angles, and the level's calibration by 0.5 dB (common
/// practice).
/// @param intervals  false: figures alone, for a draft.
[[nodiscard]] SpinReading spin_reading(const OrbitMaterial& material, bool intervals = true,
                                       const Parallel& parallel = in_turn);

}  // namespace lalometer
