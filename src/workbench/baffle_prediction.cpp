#include "workbench/baffle_prediction.h"

#include <fmt/format.h>

#include <cmath>

#include "acoustics/baffle/diffraction.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {

Result<DiffractionPrediction> predict_diffraction(const SubjectGeometry& g,
                                                  const std::string& driver_id, double distance_m,
                                                  const FrequencyAxis& axis) {
  const SubjectDriver* driver = nullptr;
  for (const SubjectDriver& d : g.drivers) {
    if (driver == nullptr && (driver_id.empty() ? d.radius_m.has_value() : d.id == driver_id))
      driver = &d;
  }
  if (driver == nullptr) {
    return driver_id.empty()
               ? bad_input("The subject names no driver with a size (sd_cm2 or diameter_mm).")
               : fail(ErrorCode::kNotFound, fmt::format("There is no driver \"{}\".", driver_id));
  }
  const auto piston = g.piston(*driver);
  if (!piston) return tl::unexpected(piston.error());
  const BafflePoint at = point_at(g.origin_x_m, g.origin_y_m, distance_m, 0.0, 0.0);
  const auto box =
      baffle_response(*g.baffle, *piston, at, axis, kSpeedOfSound20_m_s, DiffractionEffort::kFine);
  const auto infinite = infinite_baffle_response(*piston, at, axis, kSpeedOfSound20_m_s);
  DiffractionPrediction p{.driver = driver->id,
                          .distance_m = distance_m,
                          .frequency_hz = {axis.hz().begin(), axis.hz().end()},
                          .level_db = {},
                          .edges = edge_rules(*g.baffle, *piston, kSpeedOfSound20_m_s),
                          .equal = {},
                          .step_rule_hz = baffle_step_rule_hz(*g.baffle),
                          .half_step_hz = std::nullopt,
                          .notes = {}};
  for (std::size_t i = 0; i < box.size(); ++i)
    p.level_db.push_back(20.0 * std::log10(std::abs(box[i]) / std::abs(infinite[i])));
  p.equal = equal_edges(p.edges);
  p.half_step_hz = half_step_hz(p.frequency_hz, p.level_db);
  for (const EqualEdges& group : p.equal) {
    p.notes.push_back(fmt::format("{} lie about equally far ({} mm): their ripple adds up near {}.",
                                  fmt::join(group.names, " and "),
                                  three_digits(group.distance_m * 1e3),
                                  frequency_text(kSpeedOfSound20_m_s / group.distance_m)));
  }
  return p;
}

}  // namespace lalometer
