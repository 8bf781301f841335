#pragma once

#include <optional>
#include <vector>

#include "acoustics/level/harmonics.h"

/// One place, several drives: where it compresses, how its harmonics grow, how loud it goes.
namespace lalometer {

struct LevelStep {
  double drive_v = 0.0;
  const Harmonics* harmonics = nullptr;  ///< of all steps in one unit
  double gain = 1.0;  ///< that brings their values to this drive: not 1 where they are per volt
};

/// How one order grows with the drive, over a third of an octave.
struct Growth {
  int order = 2;
  double frequency_hz = 0.0;
  /// dB re the fundamental for each dB of drive: order - 1 where the loudspeaker is a polynomial.
  double db_per_db = 0.0;
  /// The step at which it leaves what went before by more than 10 dB: something touches. Nothing:
  /// it grows evenly.
  std::optional<std::size_t> jump_at = std::nullopt;
};

struct Compression {
  /// At the frequencies of the lowest step, 0 or below; NaN where noise is as loud.
  std::vector<double> level_db;
  std::vector<double> half_width;  ///< of its 95 % interval by noise, dB
};

struct CleanLevel {
  double frequency_hz = 0.0;  ///< third octave
  double level = 0.0;         ///< of the fundamental, in its unit, where THD reaches the limit
  bool at_least = false;      ///< the highest step does not reach it there
};

/// Level of a step less that of the lowest, less the ratio of their drives.
/// @param steps  at least one, the lowest drive first.
[[nodiscard]] Compression compression_of(const std::vector<LevelStep>& steps, std::size_t step);

/// Per order 2 to 5 and third octave, where it is heard in at least two steps.
[[nodiscard]] std::vector<Growth> growth_of(const std::vector<LevelStep>& steps);

/// The highest level per third octave at which THD stays under a limit, straight between two steps
/// in dB. Bands in which the lowest step is over it already are left out.
[[nodiscard]] std::vector<CleanLevel> clean_levels(const std::vector<LevelStep>& steps,
                                                   double percent);

/// Where a loudspeaker is judged: where it plays within 10 dB of its loudest at the lowest step,
/// and from 100 Hz on; of one that ends below 400 Hz (a subwoofer) from its own lower end.
[[nodiscard]] ValidRange judged_band(const std::vector<LevelStep>& steps);

/// The last step of which no other is worse: THD under 3 %, less than 1 dB lost in each third
/// octave of the band it is judged in, and nothing there that touches. Nothing: not even the
/// lowest.
[[nodiscard]] std::optional<std::size_t> last_good_step(const std::vector<LevelStep>& steps,
                                                        const ValidRange& judged);

/// Level where somebody listens: 20 log10 of the distance less, 3 dB more for a second one of two
/// that play different things (common practice, no source). Of a room that adds nothing.
[[nodiscard]] double level_at(double level_1m_db, double distance_m, int loudspeakers);

}  // namespace lalometer
