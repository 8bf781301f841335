#pragma once

#include <stop_token>
#include <vector>

#include "base/result.h"
#include "rig/audio_device.h"
#include "workbench/taking/take_runner.h"

/// Takes whose stimulus is tones: many at once, or one after the other.
namespace lalometer {

[[nodiscard]] inline bool plays_tones(TakeKind kind) {
  return kind == TakeKind::kMultitone || kind == TakeKind::kSteadyTones;
}

/// What is played for it: half a second of silence, the tones, half a second for the room.
struct TonesExcitation {
  std::vector<double> output;
  std::vector<double> tones_hz;
  double lead_in_s = 0.0;
  double sounding_s = 0.0;
  double crest = 1.0;      ///< peak over rms
  double amplitude = 0.0;  ///< peak re full scale
};
/// A multitone's drive is the rms of all its tones. Its tones are those of 20 Hz to 20 kHz that lie
/// from start_hz to stop_hz, so that parts of it can be compared; an error where the rig cannot
/// give the drive, or fewer than two tones are left.
[[nodiscard]] Result<TonesExcitation> tones_excitation(const TakeRequest& request,
                                                       const RigCalibration& rig);

/// As run_take(), which calls it: plays, records, checks (clipping, level, noise, loopback, samples
/// that are lost or doubled). Kept as a WAV, the loopback in its second channel.
/// @param request  within the driver's limits already.
[[nodiscard]] Result<TakeOutcome> run_tones(AudioDevice& device, const RigCalibration& rig,
                                            const TakeRequest& request, std::stop_token stop,
                                            const TakeProgressCallback& progress);

}  // namespace lalometer
