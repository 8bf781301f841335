#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "acoustics/level/harmonics.h"
#include "acoustics/level/level_series.h"
#include "book/rig_calibration.h"
#include "workbench/results/impulse_stage.h"

/// What takes tell of level: harmonics of one sweep, several drives at one place, a multitone.
namespace lalometer {

/// One sweep.
struct DistortionReading {
  Harmonics harmonics;  ///< Pa rms at the drive, or the impulse's own unit
  double drive_v = 0.0;
  /// At the microphone: as somebody told it, or the fundamental's mean from 300 Hz to 3 kHz (over
  /// where it is within 10 dB of its loudest, if it does not play all of that). Nothing: not
  /// calibrated.
  std::optional<double> spl_db = std::nullopt;
  double distance_m = 0.0;  ///< 0: a near field
  bool calibrated = true;
  /// Not calibrated, and held against a loopback: the same at whatever drive.
  bool per_volt = false;
  Threshold three_percent, ten_percent;
  std::vector<std::string> notes = {};
};

/// @return an error where the take's excitation was no sweep: an impulse response alone tells no
/// harmonic.
[[nodiscard]] Result<DistortionReading> distortion_reading(const Take& take,
                                                           const ImpulseStage& stage,
                                                           const HarmonicsWish& wish = {});

/// What the rig tells of its microphone's own distortion, as what is not to be told below; by a
/// rise of 1 dB per dB (a second order's, as of a condenser's capsule; common practice, no source).
[[nodiscard]] HarmonicsWish with_microphone(HarmonicsWish wish, const RigCalibration& rig);

/// Level, thresholds and what is to be said of harmonics, of whatever excitation.
[[nodiscard]] DistortionReading reading_of(const Take& take, Harmonics harmonics, bool calibrated,
                                           const HarmonicsWish& wish,
                                           std::vector<std::string> notes);

/// Where a sweep's THD is over a limit, and how much of it there is at most.
struct Strain {
  double low_hz = 0.0;
  double high_hz = 0.0;
  double thd_percent = 0.0;
  double drive_v = 0.0;
};
/// Ranges of a sixth of an octave and more, over 3 % if not told otherwise.
[[nodiscard]] std::vector<Strain> strained_ranges(const DistortionReading& reading,
                                                  double percent = 3.0);

/// As a step of a series.
[[nodiscard]] inline LevelStep level_step(const DistortionReading& r) {
  return {r.drive_v, &r.harmonics, r.per_volt ? r.drive_v : 1.0};
}

/// Several drives at one place.
struct LevelsReading {
  std::vector<std::shared_ptr<const DistortionReading>> steps;  ///< the lowest drive first
  std::vector<Compression> compression;                         ///< of each step
  std::vector<Growth> growth;
  std::vector<CleanLevel> clean;  ///< at 3 %
  ValidRange judged = {};         ///< where the next is judged
  std::optional<std::size_t> last_good = std::nullopt;
  /// Last less first of takes at one drive, mean over the judged band: what warmth has changed.
  std::optional<Estimate> drift_db = std::nullopt;
  std::vector<std::string> notes = {};

  [[nodiscard]] std::vector<LevelStep> level_steps() const;
};
/// @param readings  as they were taken, one after the other; at least one.
[[nodiscard]] LevelsReading levels_reading(
    std::vector<std::shared_ptr<const DistortionReading>> readings);

/// What is looked for among the takes of a subject.
struct LevelWish {
  std::string driver = {};  ///< only that one playing; empty: all of them
  std::string source = {};  ///< of near fields; empty: far fields
};
/// Places among `takes` that stand together: sweeps of one setup at one place, nearest to the axis
/// and of most drives. Empty where there is none.
[[nodiscard]] std::vector<std::size_t> level_group(const std::vector<const Take*>& takes,
                                                   const LevelWish& wish);
/// Those that stand together with one of them: same place, driver, variant and sample.
[[nodiscard]] bool same_level_place(const Take& a, const Take& b);
/// Above which frequency a recorded sweep's THD stays under 3 %; 0: everywhere; nothing where it
/// does not tell.
[[nodiscard]] std::optional<double> clean_from_hz(const Take& take, const ImpulseStage& stage);
/// A sweep was played in it, and recorded.
[[nodiscard]] bool holds_sweep(const Take& take);

/// What it means, in a sentence each, from the figures alone.
[[nodiscard]] std::vector<std::string> spoken(const LevelsReading& reading);

}  // namespace lalometer
