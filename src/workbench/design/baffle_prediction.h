#pragma once

#include <functional>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "acoustics/baffle/rules.h"
#include "acoustics/spectrum/frequency_axis.h"
#include "book/description/subject_geometry.h"

namespace lalometer {

/// What a subject's edges do to one driver on the 0 degree axis, which runs through the baffle's
/// origin.
struct DiffractionPrediction {
  std::string driver;
  double distance_m;
  std::vector<double> frequency_hz;
  std::vector<double> level_db;  ///< re the same piston in an infinite baffle
  std::vector<EdgeRule> edges;
  std::vector<EqualEdges> equal;
  double step_rule_hz;
  std::optional<double> half_step_hz;
  std::vector<std::string> notes;
};

/// @param driver_id  empty: the first driver whose size is told. Errors where baffle or driver are
/// not specified or impossible.
[[nodiscard]] Result<DiffractionPrediction> predict_diffraction(const SubjectGeometry& geometry,
                                                                const std::string& driver_id,
                                                                double distance_m,
                                                                const FrequencyAxis& axis);

/// Where on the front this driver would make the least ripple in its working range (a third of an
/// octave beyond its crossovers, 500 Hz to 10 kHz where none is told), in the subject's
/// coordinates. Places on other drivers or on ports of the front do not count.
struct BestPosition {
  double x_m;
  double y_m;
  double ripple_db;
  double ripple_here_db;
  double low_hz;
  double high_hz;
  /// Ripple at every place that was tried, row by row (y): NaN where another part is. Places in the
  /// subject's coordinates.
  std::vector<double> tried_x_m = {};
  std::vector<double> tried_y_m = {};
  std::vector<double> ripple_map_db = {};
};
[[nodiscard]] Result<BestPosition> best_position(const SubjectGeometry& geometry,
                                                 const std::string& driver_id, std::stop_token stop,
                                                 const std::function<void(double)>& progress);

}  // namespace lalometer
