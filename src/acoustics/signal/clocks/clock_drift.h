#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "acoustics/signal/sweep.h"

/// How far a recorder's clock runs off the player's, from what it recorded. Drift e: the recorder
/// takes rate * (1 + e) samples in a second of the player. It is taken out by sampling the ideal
/// sweep as that clock does (SweepSpec with that rate), which is exact, where resampling the
/// recording would only come near.
namespace lalometer {

struct ClockDrift {
  enum class Basis {
    kRepeats,   ///< known time from sweep to sweep
    kChirps,    ///< reference chirps before and after the sweep
    kOneSweep,  ///< a delay that grows along one sweep, beyond minimum phase
  };
  double ppm = 0.0;
  double uncertainty_ppm = 0.0;  ///< half-width of the 95 % interval
  Basis basis = Basis::kOneSweep;
  /// Of repeats: after which of them (from 0; of chirps: in which) samples are missing or doubled,
  /// and how many.
  std::optional<std::size_t> slip_after = std::nullopt;
  double slip_samples = 0.0;  ///< missing ones; below 0: doubled
  /// False: of three sweeps nobody can tell which of the two steps is the wrong one. The drift then
  /// lies between what either says.
  bool slip_placed = true;
};

/// Like sweeps at known times: the pulses that they become are correlated with the first one's, to
/// a hundredth of a sample where they reach high. With three or more, a step from one to the next
/// that differs from the usual one by more than 0.4 samples, and by five deviations of what the
/// pulses tell (a subwoofer's: little), is a slip. Of two sweeps none is seen.
/// @param starts    of at least two sweeps, to a few ms (find_sweeps()).
/// @param period_s  from start to start, on the player's clock.
/// Nothing where fewer than two lie at multiples of the period (within 2000 ppm).
[[nodiscard]] std::optional<ClockDrift> drift_of_repeats(std::span<const double> recording,
                                                         const SweepSpec& spec,
                                                         std::span<const double> starts,
                                                         double period_s);

/// One bare sweep: a drift e delays what the sweep plays at f by e L ln f, L its time for a factor
/// e of frequency. The phase of the direct sound (5 ms) beyond minimum phase is fitted by a delay,
/// that, and 1/f, which a crossover's all-pass leaves above it, over the upper 2.2 octaves that a
/// loudspeaker plays. Its half-width counts 60 us of what else the loudspeaker delays across that
/// range: of 60 drawn ones (fourth-order two-ways from 1.2 to 4 kHz, one driver up to 150 us
/// behind, with and without a reflection after 0.7 to 4 ms) the worst had 46. So some 90 ppm for a
/// sweep of 3 s are the best that can be had.
/// Nothing where no pulse stands out, or where nothing is played above 1.2 kHz: 5 ms tell no bass.
[[nodiscard]] std::optional<ClockDrift> drift_of_one(std::span<const double> recording,
                                                     const SweepSpec& spec, double start);

/// Delay of b against a in samples, by the top of their correlation over the frequencies at which
/// they have more in common than apart; both equally long.
struct PulseDelay {
  double samples;
  /// Cramer and Rao's bound by what they have in common and apart there (A. H. Quazi, IEEE Trans.
  /// ASSP 29 (1981) 527).
  double deviation;
};
[[nodiscard]] PulseDelay delay_between(std::span<const double> a, std::span<const double> b);

}  // namespace lalometer
