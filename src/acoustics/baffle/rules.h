#pragma once

#include <optional>
#include <string>
#include <vector>

#include "acoustics/baffle/baffle.h"

/// Rules of thumb shown next to the model. Common practice, no source, unless told.
namespace lalometer {

struct EdgeRule {
  std::string name;      ///< "left", "right", "top", "bottom"
  double distance_m;     ///< from the driver's centre to the outer edge
  double first_peak_hz;  ///< c / 2d: the edge's wave comes half a wavelength late, inverted
  double first_dip_hz;   ///< c / d
};
/// The four edges as one driver sees them, nearest first.
[[nodiscard]] std::vector<EdgeRule> edge_rules(const Baffle& baffle, const BafflePiston& piston,
                                               double speed_of_sound_m_s);

/// Pairs of edges whose distances differ by less than a fifth: their dips add up.
struct EqualEdges {
  std::vector<std::string> names;  ///< two or more
  double distance_m;               ///< their mean
};
[[nodiscard]] std::vector<EqualEdges> equal_edges(const std::vector<EdgeRule>& edges);

/// Middle of the baffle step by its width, 115 m/s / width, Hz.
[[nodiscard]] double baffle_step_rule_hz(const Baffle& baffle);

/// Frequency at which a level curve re the infinite baffle first rises through -3 dB; nothing where
/// it does not.
[[nodiscard]] std::optional<double> half_step_hz(const std::vector<double>& frequency_hz,
                                                 const std::vector<double>& level_db);

/// Ripple of a curve in a range: rms departure of its level from its own mean, over log frequency
/// (points as they stand), dB.
[[nodiscard]] double ripple_db(const std::vector<double>& frequency_hz,
                               const std::vector<double>& level_db, double low_hz, double high_hz);

}  // namespace lalometer
