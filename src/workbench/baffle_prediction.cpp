#include "workbench/baffle_prediction.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/baffle/diffraction.h"
#include "acoustics/baffle/position_map.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {

namespace {

Result<const SubjectDriver*> chosen_driver(const SubjectGeometry& g, const std::string& id) {
  for (const SubjectDriver& d : g.drivers) {
    if (id.empty() ? d.radius_m.has_value() : d.id == id) return &d;
  }
  if (id.empty())
    return bad_input("The subject names no driver with a size (sd_cm2 or diameter_mm).");
  return fail(ErrorCode::kNotFound, fmt::format("There is no driver \"{}\".", id));
}

}  // namespace

Result<BestPosition> best_position(const SubjectGeometry& g, const std::string& driver_id,
                                   std::stop_token stop,
                                   const std::function<void(double)>& progress) {
  const auto driver = chosen_driver(g, driver_id);
  if (!driver) return tl::unexpected(driver.error());
  const auto piston = g.piston(**driver);
  if (!piston) return tl::unexpected(piston.error());
  RippleBand band{.low_hz = 500.0, .high_hz = 10000.0};
  const double beyond = std::exp2(1.0 / 3.0);
  for (const SubjectCrossover& x : g.crossovers) {
    if (x.high == (*driver)->id) band.low_hz = x.frequency_hz / beyond;
    if (x.low == (*driver)->id) band.high_hz = x.frequency_hz * beyond;
  }
  // Every centimetre is finer than the ripple of any of these wavelengths moves.
  constexpr double kStep_m = 0.01;
  const auto count = [&](double length) {
    return std::clamp(static_cast<int>((length - 2.0 * piston->radius_m()) / kStep_m) + 1, 2, 60);
  };
  return map_positions(*g.baffle, piston->radius_m(), band, count(g.baffle->width_m()),
                       count(g.baffle->height_m()), kSpeedOfSound20_m_s, stop, progress)
      .map([&](const PositionMap& map) {
        return BestPosition{map.best_x_m - g.origin_x_m,
                            map.best_y_m - g.origin_y_m,
                            map.best_ripple_db,
                            edge_ripple_db(*g.baffle, *piston, band, kSpeedOfSound20_m_s),
                            band.low_hz,
                            band.high_hz};
      });
}

Result<DiffractionPrediction> predict_diffraction(const SubjectGeometry& g,
                                                  const std::string& driver_id, double distance_m,
                                                  const FrequencyAxis& axis) {
  const auto found = chosen_driver(g, driver_id);
  if (!found) return tl::unexpected(found.error());
  const SubjectDriver* driver = *found;
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
