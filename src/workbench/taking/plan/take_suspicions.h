#pragma once

#include <optional>
#include <vector>

#include "workbench/taking/take_runner.h"

namespace lalometer {

/// What a take looks like, small enough to be kept of every one: for comparing it with its
/// neighbours.
struct TakeSketch {
  double angle_deg = 0.0;
  bool vertical = false;
  double distance_m = 0.0;
  double drive_v = 0.0;
  double arrival_s = 0.0;
  double top_hz = 0.0;  ///< highest frequency within 10 dB of the loudest; 0: not known
  std::vector<double> level_db;  ///< 1/6-octave bands, 200 Hz to 16 kHz, gated
  std::string condition;
};
/// Of a response; nothing where it cannot be analysed.
[[nodiscard]] std::optional<TakeSketch> sketch_of(const TakeOutcome& outcome,
                                                  const RigCalibration& rig, double gate_s);
/// Rms of the difference in level, 1 kHz to 16 kHz.
[[nodiscard]] double difference_db(const TakeSketch& a, const TakeSketch& b);

/// Whether a take differs from those before it in a way that a turned loudspeaker does not explain:
/// microphone moved (arrival or low-frequency level jumps), table that did not turn, or turned too
/// far. In the bass it may be anything from a sphere to a figure of eight, as the takes so far
/// allow: an open baffle's null is no jump. `before`: in the order they were taken; only those of the same plane, distance, drive and
/// condition count.
[[nodiscard]] std::vector<Remark> suspicions(const TakeSketch& now,
                                             const std::vector<TakeSketch>& before);

}  // namespace lalometer
