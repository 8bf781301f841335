#pragma once

#include <optional>
#include <vector>

#include "acoustics/spectrum/response.h"

/// One curve against another, and how much of it a model explains.
namespace lalometer {

struct CurveDifference {
  std::vector<double> frequency_hz;
  std::vector<double> level_db;  ///< of the one less that of the other
  /// Half-width of the 95 % interval where both curves know theirs: the repeat error; else empty.
  std::vector<double> half_width_db;
};
/// On the axis of `of`, where both are valid. Nothing where they share no frequencies.
[[nodiscard]] std::optional<CurveDifference> difference_of(const Response& of,
                                                           const Response& from);

/// A dip or a peak of a difference.
struct Departure {
  double frequency_hz;
  double level_db;  ///< re the mean over the range; below 0: a dip
};
/// Those at least `least_db` deep or high between their neighbours, in order.
[[nodiscard]] std::vector<Departure> departures(const std::vector<double>& frequency_hz,
                                                const std::vector<double>& level_db,
                                                double least_db);

/// What a model says about a difference.
struct Explained {
  double total_db = 0.0;      ///< rms of the difference about its mean
  double left_db = 0.0;       ///< rms of what the model leaves
  double explained_db = 0.0;  ///< sqrt(total^2 - left^2); 0 where the model makes it worse
  struct Pair {
    Departure measured;
    std::optional<Departure> predicted;  ///< within a fifth of an octave, of the same sign
  };
  std::vector<Pair> pairs;
};
/// @param model_db  at the difference's own frequencies. Offsets of both are taken out.
[[nodiscard]] Explained explained_by(const CurveDifference& difference,
                                     const std::vector<double>& model_db, double least_db = 0.8);

}  // namespace lalometer
