#pragma once

#include <limits>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "acoustics/level/multitone_reading.h"
#include "acoustics/level/steady_tones.h"
#include "workbench/level/distortion_study.h"

/// Takes whose stimulus is tones: many at once, or one after the other.
namespace lalometer {

/// A recorded multitone.
[[nodiscard]] inline bool holds_multitone(const Take& take) {
  return take.kind() == TakeKind::kMultitone && take.form == RawForm::kSoundFile;
}
/// Recorded single tones.
[[nodiscard]] inline bool holds_steady_tones(const Take& take) {
  return take.kind() == TakeKind::kSteadyTones && take.form == RawForm::kSoundFile;
}
/// Harmonics can be read of it: a sweep's, or a single tone's.
[[nodiscard]] inline bool tells_harmonics(const Take& take) {
  return holds_sweep(take) || holds_steady_tones(take);
}

/// A multitone, with what its figures are in.
struct MultitoneStudy {
  MultitoneReading reading;
  double unit_pa = 0.0;  ///< Pa rms of 1 of its unit; 0: not told
  double drive_v = 0.0;
  std::vector<std::string> notes = {};

  [[nodiscard]] double level_db(double rms) const;  ///< SPL where that is told, else dB re 1
  /// Sum of the tones.
  [[nodiscard]] double tones_db() const;
};
/// @param tones_hz  empty: the take's own.
/// @param rig  of a take that was made here: its sensitivity and correction; null: the take's own
///             words.
[[nodiscard]] Result<MultitoneStudy> multitone_study(const Take& take,
                                                     std::span<const std::byte> raw,
                                                     std::vector<double> tones_hz = {},
                                                     const RigCalibration* rig = nullptr);

/// Two multitones of which one has only a part of the other's tones: what the other tones do.
struct MultitoneChange {
  bool second_is_part = false;  ///< else the first is
  std::vector<double> common_hz;
  std::vector<double> band_hz;  ///< third octaves between the lowest and highest common tone
  /// What is no tone, re the mean common tone: of the part less that of the whole, dB; NaN where
  /// either has no room for it.
  std::vector<double> rest_db;
  double mean_db = 0.0;  ///< of them, on power
  double most_db = 0.0;  ///< the largest fall
  double most_at_hz = 0.0;
  double tones_db = 0.0;  ///< common tones of the part less the whole's, mean
  /// What the tones left out do to common ones four times as high or higher: sidebands of these at
  /// their distance, re the tone, mean on power; NaN where none is heard.
  double modulation_db = std::numeric_limits<double>::quiet_NaN();
  /// Of all that falls without them, on power; nothing where sidebands could not be read.
  std::optional<double> modulation_share = std::nullopt;
  double left_out_low_hz = 0.0, left_out_high_hz = 0.0;  ///< the tones that the part lacks
};
/// @return an error where neither's tones are part of the other's.
[[nodiscard]] Result<MultitoneChange> multitone_change(const MultitoneStudy& first,
                                                       const MultitoneStudy& second);

/// Harmonics of single tones, as of a sweep.
[[nodiscard]] Result<DistortionReading> steady_study(const Take& take,
                                                     std::span<const std::byte> raw,
                                                     const HarmonicsWish& wish = {},
                                                     const RigCalibration* rig = nullptr);

/// Sweep and single tones of one place and drive: how far they agree where both tell.
struct SteadyCheck {
  double fundamental_db = 0.0;  ///< rms of the difference
  double harmonics_db = 0.0;    ///< of orders 2 and 3, where heard in both
  double worst_db = 0.0;
  double worst_at_hz = 0.0;
  std::size_t points = 0;
};
[[nodiscard]] std::optional<SteadyCheck> steady_check(const DistortionReading& sweep,
                                                      const DistortionReading& steady);

[[nodiscard]] std::vector<std::string> spoken(const MultitoneStudy& study);
[[nodiscard]] std::vector<std::string> spoken(const MultitoneChange& change);
[[nodiscard]] std::string spoken(const SteadyCheck& check);

}  // namespace lalometer
