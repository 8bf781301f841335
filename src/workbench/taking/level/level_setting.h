#pragma once

#include <stop_token>
#include <vector>

#include "base/result.h"
#include "rig/audio_device.h"
#include "workbench/taking/take_runner.h"

/// How loud a take is played.
namespace lalometer {

/// The drive that neither clips the interface nor passes what is wanted, found by low-level sweeps
/// that rise in steps of 10 dB: from 20 dB under the drive, or from 40 dB under it where a level at
/// 1 m is wanted (TakeRequest::target_spl_db), until the next one would be within reach of it.
struct LevelSetting {
  double drive_v;
  double peak;  ///< of the input at that drive, re full scale
  std::vector<Remark> remarks;
};
/// A level is the mean of dB over log f from 300 Hz to 3 kHz, of what does not play all of that
/// where it is within 10 dB of its loudest; gated, or as the room gives it below 400 Hz. It is
/// refused where the rig's levels are not calibrated, and of near fields.
[[nodiscard]] Result<LevelSetting> set_level(AudioDevice& device, const RigCalibration& rig,
                                             const TakeRequest& wanted, std::stop_token stop);

/// Pips, one a second and a longer one at the end, 20 dB under the drive: for hands-free work.
[[nodiscard]] std::vector<double> countdown_signal(double seconds, double drive_v,
                                                   const RigCalibration& rig,
                                                   double sample_rate_hz);

}  // namespace lalometer
