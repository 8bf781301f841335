#pragma once

#include <array>

#include "acoustics/directivity/orbit.h"

namespace lalometer {

/// A spatial average as levels over the orbit's axis, dB; empty where an angle it needs is missing.
using SpatialAverage = std::vector<double>;

/// The averages of CTA-2034-A (Standard Method of Measurement for In-Home Loudspeakers), from 70
/// responses in steps of 10 degrees. All means are of squared pressure.
///
/// Listening window: 0, +-10 vertical, +-10, +-20, +-30 horizontal. Bounces: floor 20, 30, 40 down;
/// ceiling 40, 50, 60 up; front wall 0, +-10, +-20, +-30; side walls +-40 to +-80; rear wall +-90
/// to 180, horizontal. Early reflections: mean of the five bounces. Sound power: all 70 by the
/// sphere's areas (kPowerWeights), normalised. Predicted in-room: 12 % listening window, 44 % early
/// reflections, 44 % sound power.
struct Spinorama {
  std::vector<double> on_axis_db;
  SpatialAverage listening_window_db;
  SpatialAverage floor_db, ceiling_db, front_wall_db, side_wall_db, rear_wall_db;
  SpatialAverage early_reflections_db;
  SpatialAverage sound_power_db;
  SpatialAverage sound_power_di_db;        ///< listening window less sound power
  SpatialAverage early_reflections_di_db;  ///< listening window less early reflections
  SpatialAverage predicted_in_room_db;
  /// Angles of the 70 that are neither measured nor mirrored: "horizontal -40", "vertical +20".
  std::vector<std::string> missing;
  std::vector<std::string> mirrored;
};
[[nodiscard]] Spinorama spinorama(const Orbit& orbit);

/// Squared magnitudes at the angles that the averages are made of, over one axis: -170, -160, ...
/// 180 degrees of each circle.
struct SpinPowers {
  Quantity quantity = Quantity::kPressure;
  std::size_t points = 0;
  std::array<std::vector<double>, 36> horizontal = {}, vertical = {};  ///< empty: missing

  [[nodiscard]] static double degrees(std::size_t k) {
    return 10.0 * static_cast<double>(k) - 170.0;
  }
  /// @param degrees  a multiple of ten.
  [[nodiscard]] const std::vector<double>& at(Plane plane, double degrees) const;
};
[[nodiscard]] SpinPowers spin_powers(const Orbit& orbit);
/// The averages alone; which angles are missing or mirrored is told by spinorama().
[[nodiscard]] Spinorama spin_averages(const SpinPowers& powers);

/// Share of the sphere that a ray at 0, 10, ... 180 degrees of either circle stands for; +x, -x and
/// both planes have the same one (CTA-2034-A; from memory).
[[nodiscard]] double power_weight(double degrees);

/// How straight the predicted in-room response lies on its trend.
struct TrendLine {
  double slope_db_per_octave;
  double level_at_1k_db;
};
/// Least squares over log f, at 20 points an octave, within [low, high]; nothing where the data do
/// not cover it.
[[nodiscard]] std::optional<TrendLine> trend_of(const FrequencyAxis& axis,
                                                const std::vector<double>& level_db, double low_hz,
                                                double high_hz);

/// Preference rating of a loudspeaker (S. E. Olive, AES 116th Convention 2004, preprint 6190, part
/// II): 12.69 - 2.49 NBD_ON - 2.99 NBD_PIR - 4.31 LFX + 2.32 SM_PIR. NBD: mean over half-octave
/// bands from 100 Hz on, the last cut at 12 kHz, of the mean departure from the band's mean, at 20
/// points an octave, dB. LFX: decimal logarithm of where the sound power has fallen 6 dB below the
/// mean of the listening window from 300 Hz to 10 kHz. SM: r^2 of a straight line through the
/// predicted in-room response over log f, 100 Hz to 16 kHz. It tells nothing of output, distortion
/// or taste.
struct Preference {
  std::optional<double> score;
  std::optional<double> score_with_subwoofer;  ///< LFX of 14.5 Hz
  std::optional<double> nbd_on, nbd_pir, lfx, sm_pir;
};
[[nodiscard]] Preference preference_of(const FrequencyAxis& axis, const ValidRange& valid,
                                       const Spinorama& spin);

}  // namespace lalometer
