#pragma once

#include <string>
#include <vector>

#include "workbench/taking/take_runner.h"

namespace lalometer {

/// What a rig can tell, and what it cannot.
struct RigAbility {
  enum class Can { kYes, kPartly, kNo };
  std::string what;  ///< "Impedance"
  Can can = Can::kYes;
  std::string why;  ///< in a sentence; also of what it can
};
/// By how its time and levels are known and how many inputs its interface has.
[[nodiscard]] std::vector<RigAbility> abilities_of(const RigCalibration& rig, int input_count);

/// A soft sweep through the rig as it stands.
struct RigTrial {
  bool good = false;
  std::string verdict;               ///< in a sentence
  std::vector<std::string> seen;     ///< figures: level, noise, clocks, time
  std::vector<Remark> remarks = {};  ///< of the take
};
/// Plays half a second 20 dB under 2.83 V, from 200 Hz so that no tweeter is harmed; keeps nothing.
[[nodiscard]] Result<RigTrial> try_rig(AudioDevice& device, const RigCalibration& rig,
                                       double sample_rate_hz, std::stop_token stop);

}  // namespace lalometer
