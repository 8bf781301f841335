#pragma once

#include <optional>

#include "acoustics/spectrum/response.h"

namespace lalometer {

/// Mean of the level in dB over log frequency, [low_hz, high_hz], by the trapezoidal rule with
/// interpolated ends. Nothing where the curve's valid range does not cover the band: a figure that
/// the data cannot carry is not printed.
[[nodiscard]] std::optional<double> mean_level_db(const Response& curve, double low_hz,
                                                  double high_hz);

/// Sensitivity: mean level 300 Hz .. 3 kHz (CTA-2034-A), of a response that stands for 2.83 V, 1 m.
[[nodiscard]] std::optional<double> sensitivity_db(const Response& curve);

/// Slope of the level over log frequency by least squares, dB an octave; nothing where the curve's
/// valid range does not cover the band, or it is narrower than an octave.
[[nodiscard]] std::optional<double> slope_db_per_octave(const Response& curve, double low_hz,
                                                        double high_hz);

/// Lowest and highest level in a band relative to its mean: a curve that is "+- 2 dB".
struct LevelSpread {
  double above_db;
  double below_db;
};
[[nodiscard]] std::optional<LevelSpread> level_spread(const Response& curve, double low_hz,
                                                      double high_hz);

}  // namespace lalometer
