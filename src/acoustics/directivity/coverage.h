#pragma once

#include "acoustics/directivity/orbit.h"

/// What one circle of angles tells: where angles leave the axis, how wide it radiates, how much it
/// bundles.
namespace lalometer {

/// Levels re the axis, one row an angle, rising in angle; dB.
struct AngleMap {
  std::vector<double> degrees;
  std::vector<std::vector<double>> level_db;
};
/// Nothing without a ray at 0 degrees.
[[nodiscard]] std::optional<AngleMap> angle_map(const Orbit& orbit, Plane plane);

/// Full angle between the first places to both sides where the level has fallen by `fall_db`, by
/// straight lines in dB over the angle's square; where it never falls within the data's last angle
/// (180) it is 360. A side that was not taken counts as the other. NaN where the data end before it
/// falls.
[[nodiscard]] std::vector<double> beamwidth_deg(const AngleMap& map, double fall_db);

/// From where on an angle stays 3 dB under the axis, up to the valid end; both sides' mean power.
/// Where neither side was taken, by straight lines between rays up to 20 degrees apart. Nothing
/// where those are missing, or it does not.
[[nodiscard]] std::optional<double> separation_hz(const Orbit& orbit, Plane plane, double degrees,
                                                  double by_db = 3.0);

/// A range in which the beamwidth falls below both its sides.
struct Narrowing {
  double at_hz;
  double low_hz, high_hz;  ///< where it has come back by half
  double beamwidth_deg;
  double by_deg;  ///< below the lower of its sides
};
/// Of the beamwidth smoothed over a sixth of an octave; at least `least_deg`, from where the
/// beamwidth is known and below 300 degrees.
[[nodiscard]] std::vector<Narrowing> narrowings(const FrequencyAxis& axis, const ValidRange& valid,
                                                const std::vector<double>& beamwidth,
                                                double least_deg = 8.0);
/// The same the other way: where it rises above both its sides; `by_deg` above the higher one.
[[nodiscard]] std::vector<Narrowing> widenings(const FrequencyAxis& axis, const ValidRange& valid,
                                               const std::vector<double>& beamwidth,
                                               double least_deg = 8.0);

/// Nominal coverage: the median of the beamwidth from 1 to 10 kHz over log f, and the widest range
/// about it in which the beamwidth stays within 25 % of it.
struct Coverage {
  double degrees;
  double from_hz;
  double to_hz;
};
[[nodiscard]] std::optional<Coverage> coverage_of(const FrequencyAxis& axis,
                                                  const ValidRange& valid,
                                                  const std::vector<double>& beamwidth);

/// Directivity index re the axis, dB: 10 lg of the axis' intensity over the mean over the sphere,
/// each ray standing for its zone, as if the loudspeaker were round about its axis. Where the
/// circle ends before 180 degrees the mean is over the cap that was taken. Empty without the axis,
/// or with less than 60 degrees of a side, or gaps over 20 degrees.
struct CircleIndex {
  std::vector<double> index_db;
  double reaches_deg;  ///< of the half circle
};
[[nodiscard]] CircleIndex index_of(const Orbit& orbit, Plane plane);

/// Left against right, dB: root of the mean squared difference over the angles that both sides
/// have; empty where there are none. Mirrored rays do not count.
[[nodiscard]] std::vector<double> asymmetry_db(const Orbit& orbit, Plane plane);

}  // namespace lalometer
