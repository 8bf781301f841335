#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "acoustics/network/whatif/designed_network.h"
#include "base/result.h"

namespace lalometer {

/// What stands before the amplifiers of a network's branches, for whatever does the filtering.

/// {"branches": [{"driver", "polarity", "gain_db", "delay_ms", "sample_rate_hz", "biquads": [{"b",
/// "a"}]}]}: y = b0 x + b1 x' + b2 x'' - a1 y' - a2 y''.
[[nodiscard]] std::string filters_json(const DesignedNetwork& network);
/// The same as lines: a heading for each branch, then b0 b1 b2 a1 a2.
[[nodiscard]] std::string filters_text(const DesignedNetwork& network);
/// Each active branch's whole answer to one sample, with gain, delay and polarity, as FIR taps:
/// 16384 at its sample rate; what rings longer is folded back.
struct BranchImpulse {
  std::string driver;
  double sample_rate_hz;
  std::vector<double> taps;
};
[[nodiscard]] std::vector<BranchImpulse> filter_impulses(const DesignedNetwork& network);

/// By the name's ending: .json, .txt, or .wav (a channel for each active branch, float). Errors: no
/// branch has an amplifier of its own; another ending; sample rates that differ, in a WAV; what
/// cannot be written.
[[nodiscard]] Result<void> write_filters(const std::filesystem::path& file,
                                         const DesignedNetwork& network);

}  // namespace lalometer
