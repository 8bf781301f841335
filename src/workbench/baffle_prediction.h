#pragma once

#include <optional>
#include <string>
#include <vector>

#include "acoustics/baffle/rules.h"
#include "acoustics/spectrum/frequency_axis.h"
#include "exchange/subject_geometry.h"

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
/// not told or impossible.
[[nodiscard]] Result<DiffractionPrediction> predict_diffraction(const SubjectGeometry& geometry,
                                                                const std::string& driver_id,
                                                                double distance_m,
                                                                const FrequencyAxis& axis);

}  // namespace lalometer
