#pragma once

#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "acoustics/level/residue/air_noise.h"
#include "acoustics/level/residue/residue.h"
#include "workbench/level/distortion_study.h"
#include "workbench/level/swept_sound.h"

/// What no smooth motor makes: rubbing, rattling, hissing; and the noise of a port's air.
namespace lalometer {

struct RubReading {
  Residue residue;
  double drive_v = 0.0;
  std::vector<std::string> notes = {};

  /// Residue re the sweep at each frequency, dB; NaN where it is not heard.
  [[nodiscard]] std::vector<double> share_db() const;
  /// What noise alone would be there, dB re the sweep.
  [[nodiscard]] std::vector<double> noise_db() const;
};
/// @return an error where the take holds no sweep, or no silence of 50 ms before it.
[[nodiscard]] Result<RubReading> rub_reading(const AnalysisInput& input, const ImpulseStage& stage,
                                             std::stop_token stop);

/// Of one alone: where it touches (peaks in each period over -60 dB; common practice, no source).
[[nodiscard]] std::vector<std::string> spoken(const RubReading& reading);
/// Against a good one.
[[nodiscard]] std::vector<std::string> spoken(const ResidueChange& change, const std::string& good);

/// A port's near field at one drive.
struct PortStep {
  const RubReading* rub = nullptr;
  const DistortionReading* distortion = nullptr;
  double distance_m = 0.0;  ///< of the microphone from the mouth
};
/// Noise of a port over the speed of its air: at each drive at the frequency where that is
/// highest. Uncalibrated takes tell no speed. @param radius_m  effective, of the mouth, > 0.
[[nodiscard]] std::optional<AirNoise> port_noise(const std::vector<PortStep>& steps,
                                                 double radius_m);
[[nodiscard]] std::vector<std::string> spoken(const AirNoise& noise);

}  // namespace lalometer
