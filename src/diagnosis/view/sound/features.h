#pragma once

#include <optional>
#include <vector>

#include "acoustics/directivity/orbit.h"
#include "acoustics/spectrum/response.h"

/// What stands out of a curve, and whether other angles have it too.
namespace lalometer {

/// A curve's level on another axis, dB; NaN where it is not valid.
[[nodiscard]] std::vector<double> level_on(const Response& curve, const FrequencyAxis& axis);
/// Finite all over, so that means can be made: what lies outside takes its end's value.
[[nodiscard]] std::vector<double> with_ends(std::vector<double> level_db);
/// A curve over a sixth of an octave less its own run over two octaves (half-octave means three
/// times over), dB.
[[nodiscard]] std::vector<double> outstanding(const FrequencyAxis& axis,
                                              const std::vector<double>& level_db);
/// The same finely: the curve as it is less its run over a third of an octave.
[[nodiscard]] std::vector<double> finely(const FrequencyAxis& axis,
                                         const std::vector<double>& level_db);
/// The broad look at every ray of a circle, on both sides, from one angle to the other; mirrored
/// ones are left out.
[[nodiscard]] std::vector<std::vector<double>> outstanding_at(const Orbit& orbit, Plane plane,
                                                              double from_deg, double to_deg);

/// A bump or a dip: where it stands out by at least 0.35 dB on end.
struct CurveFeature {
  std::size_t from, to;  ///< places on the axis, half open
  double at_hz;          ///< of its top
  double height_db;      ///< below 0: a dip
};
/// Those that reach `least_db`, rising in frequency.
[[nodiscard]] std::vector<CurveFeature> features_of(const FrequencyAxis& axis,
                                                    const std::vector<double>& outstanding_db,
                                                    double low_hz, double high_hz,
                                                    double least_db = 1.0);

/// Mean share of a feature that other curves have: 1 where they have it alike, 0 where they do not,
/// below where they bend the other way. 1 without others.
[[nodiscard]] double shared_by(const CurveFeature& feature, const std::vector<double>& own,
                               const std::vector<std::vector<double>>& others);

/// What neighbouring rows scatter by about a smooth run, dB, between two frequencies: by the median
/// of their second differences, so that nulls and sharp loops do not count. Nothing from few rows.
[[nodiscard]] std::optional<double> scatter_db(const Response& curve, double from_hz, double to_hz);

}  // namespace lalometer
