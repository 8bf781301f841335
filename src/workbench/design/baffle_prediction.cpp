#include "workbench/design/baffle_prediction.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "acoustics/baffle/diffraction.h"
#include "acoustics/baffle/position_map.h"
#include "acoustics/open_baffle/shallow_box.h"
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
  // A tenth of a millimetre off everything: places are told in tenths, and rounding must not push
  // the driver off the front or onto another.
  const double radius = piston->radius_m() + 1e-4;
  return map_positions(*g.baffle, radius, band, count(g.baffle->width_m()),
                       count(g.baffle->height_m()), kSpeedOfSound20_m_s, stop, progress)
      .and_then([&](const PositionMap& map) -> Result<BestPosition> {
        // Only where it does not lie on another driver or a port of the front.
        const auto free = [&](double x, double y) {
          const auto apart = [&](double ox, double oy, double other) {
            return std::hypot(x - g.origin_x_m - ox, y - g.origin_y_m - oy) >= other + radius;
          };
          for (const SubjectDriver& d : g.drivers) {
            if (d.id != (*driver)->id && d.radius_m && !apart(d.x_m, d.y_m, *d.radius_m))
              return false;
          }
          for (const SubjectPort& p : g.ports) {
            const double half =
                p.geometry ? 0.5 * std::max(p.geometry->diameter_m, p.geometry->slot_height_m)
                           : p.radius_m;
            if ((p.panel.empty() || p.panel == "front") && !apart(p.x_m, p.y_m, half)) return false;
          }
          return true;
        };
        BestPosition found{};
        for (const double x : map.x_m) found.tried_x_m.push_back(x - g.origin_x_m);
        for (const double y : map.y_m) found.tried_y_m.push_back(y - g.origin_y_m);
        std::size_t best = map.ripple_db.size();
        for (std::size_t i = 0; i < map.ripple_db.size(); ++i) {
          const bool possible = free(map.x_m[i % map.x_m.size()], map.y_m[i / map.x_m.size()]);
          found.ripple_map_db.push_back(possible ? map.ripple_db[i]
                                                 : std::numeric_limits<double>::quiet_NaN());
          if (possible && (best == map.ripple_db.size() || map.ripple_db[i] < map.ripple_db[best]))
            best = i;
        }
        if (best == map.ripple_db.size())
          return bad_input("The other drivers and ports leave no room on the front for it.");
        found.x_m = found.tried_x_m[best % map.x_m.size()];
        found.y_m = found.tried_y_m[best / map.x_m.size()];
        found.ripple_db = map.ripple_db[best];
        found.ripple_here_db = edge_ripple_db(*g.baffle, *piston, band, kSpeedOfSound20_m_s);
        found.low_hz = band.low_hz;
        found.high_hz = band.high_hz;
        return found;
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
      box_response(*g.baffle, *piston, at, axis, kSpeedOfSound20_m_s, DiffractionEffort::kFine);
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
