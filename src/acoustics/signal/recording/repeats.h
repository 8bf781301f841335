#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include "acoustics/signal/sweep.h"

namespace lalometer {

/// What repeats of one sweep say about their mean, in sixth octaves.
struct RepeatSpread {
  int count = 1;
  std::vector<double> frequency_hz = {};
  /// Standard deviation of the mean's magnitude (and of its phase in radians), relative to it.
  std::vector<double> relative = {};
  /// Share of the power that all repeats have in common, 0 to 1: |sum X|^2 / (n sum |X|^2).
  std::vector<double> coherence = {};
  friend bool operator==(const RepeatSpread&, const RepeatSpread&) = default;
};

/// Each band is looked at while the sweep passes it and 50 ms longer, as much as a gate will keep:
/// over the whole recording the noise would count that never enters.
/// Source of the coherence: J. S. Bendat, A. G. Piersol, Random Data, on ordinary coherence.
/// @param repeats      aligned, equally long, at least two; else everything but the count is empty.
/// @param sweep_start  index at which the sweep begins in all of them.
[[nodiscard]] RepeatSpread spread_of_repeats(std::span<const std::vector<double>> repeats,
                                             const SweepSpec& spec, std::size_t sweep_start);

}  // namespace lalometer
