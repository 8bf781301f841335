#pragma once

#include <string>
#include <vector>

#include "acoustics/network/whatif/network_sum.h"

namespace lalometer {

/// A bump or dip of the sum on the axis, and where it comes from.
struct SumBump {
  enum class Cause {
    kDriver,   ///< its own sound has it: a network can only hide it
    kNetwork,  ///< its voltage has it
    kBetween,  ///< the two stand against or with each other
  };
  double at_hz = 0.0;
  double height_db = 0.0;  ///< below 0: a dip
  Cause cause = Cause::kDriver;
  std::string driver = {};  ///< the louder one there
  /// What each adds to the height; they sum up to it.
  double by_driver_db = 0.0, by_network_db = 0.0, by_other_db = 0.0;
  bool fill = true;  ///< false: no equaliser can fill it, the sound cancels
  std::string told = {};
};
[[nodiscard]] std::string_view word_of(SumBump::Cause cause);

/// What stands out of the sum by 1 dB or more. The sum's level is that of the louder driver there,
/// its voltage, and what the others make of it (20 lg of sum over driver): each stands out by a
/// share of the height, exactly, since what stands out is linear in decibels.
[[nodiscard]] std::vector<SumBump> sum_bumps(const NetworkSum& sum);

}  // namespace lalometer
