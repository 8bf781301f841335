#include "acoustics/baffle/baffle.h"

#include <cmath>

#include "base/text.h"

namespace lalometer {

Result<Baffle> Baffle::make(const Values& v) {
  for (const auto& [name, value] :
       {std::pair{"width", v.width_m}, {"height", v.height_m}, {"depth", v.depth_m}}) {
    if (!(value > 0.0) || !std::isfinite(value)) {
      return bad_input(
          fmt::format("The baffle's {} must be above 0, not {} mm.", name, shortest(value * 1e3)));
    }
  }
  const Baffle baffle(v);
  if (!(v.edge_size_m >= 0.0) || !std::isfinite(v.edge_size_m) ||
      2.0 * baffle.bend_inset_m() >= std::min(v.width_m, v.height_m)) {
    return bad_input(fmt::format("An edge of {} mm leaves nothing of a front of {} by {} mm.",
                                 three_digits(v.edge_size_m * 1e3), three_digits(v.width_m * 1e3),
                                 three_digits(v.height_m * 1e3)));
  }
  return baffle;
}

double Baffle::bend_inset_m() const {
  switch (values_.edge) {
    case EdgeShape::kSquare:
      return 0.0;
    case EdgeShape::kChamfered:
      return values_.edge_size_m / std::sqrt(2.0);
    case EdgeShape::kRound:
      return values_.edge_size_m;
  }
  return 0.0;
}

Result<BafflePiston> BafflePiston::make(const Baffle& baffle, double x_m, double y_m,
                                        double radius_m) {
  if (!(radius_m > 0.0) || !std::isfinite(radius_m))
    return bad_input("A driver's radius must be above 0.");
  const double inset = baffle.bend_inset_m() + radius_m;
  const bool on_front = x_m >= inset && x_m <= baffle.width_m() - inset && y_m >= inset &&
                        y_m <= baffle.height_m() - inset;
  if (!on_front) {
    return bad_input(fmt::format(
        "A driver of {} mm diameter at {} mm from the left and {} mm from the lower edge does not "
        "lie wholly on the flat front of {} by {} mm.",
        three_digits(2e3 * radius_m), three_digits(x_m * 1e3), three_digits(y_m * 1e3),
        three_digits(baffle.width_m() * 1e3), three_digits(baffle.height_m() * 1e3)));
  }
  return BafflePiston(x_m, y_m, radius_m);
}

}  // namespace lalometer
