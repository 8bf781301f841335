#pragma once

#include <optional>
#include <vector>

#include "acoustics/impedance/estimate.h"
#include "acoustics/spectrum/response.h"

/// What near fields and joined responses tell of the bass.
namespace lalometer {

/// Where a response has fallen by `fall_db` below a reference level, going down, and stays there:
/// the lowest frequency above which it does not fall that far. Level and slope by straight lines
/// over log f.
/// @param level_deviation_db  half-width of the level's own 95 % interval (reference, noise): the
/// figure's interval follows by the slope.
/// Nothing where the curve's valid range ends above it.
[[nodiscard]] std::optional<Estimate> fall_off_hz(const Response& curve, double reference_db,
                                                  double fall_db, double level_deviation_db);

/// Tuning from the movements of cone and port: U_cone / U_port is -(1 - (f/fB)^2 + j f/(fB Q)) for
/// a port's mass against the box's air, whatever drives them, so that its real part crosses zero at
/// fB. A line over f^2 through it, from 0.75 to 1.35 of where the cone moves least. Leaks and
/// absorption turn it little there.
[[nodiscard]] std::optional<Estimate> tuning_by_movements(
    const FrequencyAxis& axis, const std::vector<std::complex<double>>& cone,
    const std::vector<std::complex<double>>& port, double least_hz);

/// Where the cone moves least: the deepest dip of its near field between two limits that lies 4 dB
/// below both sides.
[[nodiscard]] std::optional<double> least_movement_hz(const Response& cone, double low_hz,
                                                      double high_hz);

/// Mean over 1/N octave about each point, of values over the axis; toward the ends over less, the
/// same to both sides.
[[nodiscard]] std::vector<double> mean_run(const FrequencyAxis& axis,
                                           const std::vector<double>& values, int bands_per_octave);
/// The run of a curve's level: the mean of its dB over 1/N octave about each point. Unlike a power
/// mean it leaves a straight slope where it is. No phase.
[[nodiscard]] Response level_run(const Response& curve, int bands_per_octave);

/// A resonance that stands out of a curve.
struct StandingOut {
  double frequency_hz;
  double level_db;       ///< of its top
  double prominence_db;  ///< above the higher of the valleys beside it
};
/// Tops of at least `least_db` prominence between two frequencies, in order.
[[nodiscard]] std::vector<StandingOut> tops(const Response& curve, double low_hz, double high_hz,
                                            double least_db);

}  // namespace lalometer
