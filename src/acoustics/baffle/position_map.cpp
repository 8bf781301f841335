#include "acoustics/baffle/position_map.h"

#include <cmath>

#include "acoustics/baffle/diffraction.h"
#include "acoustics/baffle/rules.h"

namespace lalometer {

double edge_ripple_db(const Baffle& baffle, const BafflePiston& piston, const RippleBand& band,
                      double c) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(band.low_hz, band.high_hz, 12.0);
  const BafflePoint at = point_at(piston.x_m(), piston.y_m(), band.distance_m, 0.0, 0.0);
  const auto box = baffle_response(baffle, piston, at, axis, c, DiffractionEffort::kCoarse);
  const auto wall = infinite_baffle_response(piston, at, axis, c);
  std::vector<double> db;
  for (std::size_t i = 0; i < box.size(); ++i)
    db.push_back(20.0 * std::log10(std::abs(box[i]) / std::abs(wall[i])));
  return ripple_db({axis.hz().begin(), axis.hz().end()}, db, band.low_hz, band.high_hz);
}

Result<PositionMap> map_positions(const Baffle& baffle, double radius_m, const RippleBand& band,
                                  int columns, int rows, double c, std::stop_token stop,
                                  const std::function<void(double)>& progress) {
  const double inset = baffle.bend_inset_m() + radius_m;
  const double room_x = baffle.width_m() - 2.0 * inset;
  const double room_y = baffle.height_m() - 2.0 * inset;
  if (room_x < 0.0 || room_y < 0.0)
    return bad_input("The driver is larger than the flat part of the front.");
  PositionMap map;
  // A hair inside, so that rounding does not put the outermost places off the front.
  const auto place = [&](double room, int i, int count) {
    return inset + 1e-9 + (room - 2e-9) * i / (count - 1);
  };
  for (int i = 0; i < columns; ++i) map.x_m.push_back(place(room_x, i, columns));
  for (int i = 0; i < rows; ++i) map.y_m.push_back(place(room_y, i, rows));
  map.best_ripple_db = 1e300;
  for (const double y : map.y_m) {
    for (const double x : map.x_m) {
      if (stop.stop_requested()) return cancelled();
      const auto piston = BafflePiston::make(baffle, x, y, radius_m);
      if (!piston) return tl::unexpected(piston.error());
      const double ripple = edge_ripple_db(baffle, *piston, band, c);
      map.ripple_db.push_back(ripple);
      if (ripple < map.best_ripple_db) {
        map.best_ripple_db = ripple;
        map.best_x_m = x;
        map.best_y_m = y;
      }
    }
    if (progress)
      progress(static_cast<double>(map.ripple_db.size()) / static_cast<double>(columns * rows));
  }
  return map;
}

}  // namespace lalometer
