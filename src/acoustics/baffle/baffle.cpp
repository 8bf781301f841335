#include "acoustics/baffle/baffle.h"

#include <algorithm>
#include <cmath>

#include "base/constants.h"
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

namespace {

/// Carlson's integral R_D(x, y, z) = 3/2 int dt / ((t + z) sqrt((t + x) (t + y) (t + z))), by
/// duplication (B. C. Carlson, Numer. Math. 33 (1979) 1): each round brings the three four times
/// nearer to one another.
double carlson_rd(double x, double y, double z) {
  double sum = 0.0;
  double share = 1.0;
  for (int round = 0; round < 24; ++round) {
    const double a = std::sqrt(x);
    const double b = std::sqrt(y);
    const double c = std::sqrt(z);
    const double shift = a * b + b * c + c * a;
    sum += 3.0 * share / (c * (z + shift));
    share *= 0.25;
    x = 0.25 * (x + shift);
    y = 0.25 * (y + shift);
    z = 0.25 * (z + shift);
  }
  const double mean = (x + y + 3.0 * z) / 5.0;
  return sum + share / (mean * std::sqrt(mean));
}

/// On an ellipsoid in a uniform flow along its half axis c the potential is the co-ordinate times
/// this: 2 / (2 - g), g = a b c int dt / ((c^2 + t) sqrt((a^2 + t) (b^2 + t) (c^2 + t))).
double gathered(double a, double b, double c) {
  const double g = a * b * c * 2.0 / 3.0 * carlson_rd(a * a, b * b, c * c);
  return 2.0 / (2.0 - g);
}

}  // namespace

BafflePoint acoustic_centre(const Baffle& baffle, const BafflePiston& piston) {
  const double scale = 0.5 * std::cbrt(6.0 / kPi);  // half axis over side, at one volume
  const double a = scale * baffle.width_m();
  const double b = scale * baffle.height_m();
  const double c = scale * baffle.depth_m();
  const double x = piston.x_m() - 0.5 * baffle.width_m();
  const double y = piston.y_m() - 0.5 * baffle.height_m();
  // Over the whole piston: the mean of x^2 is that of its middle and a quarter of the radius
  // squared.
  const double spread = 0.25 * piston.radius_m() * piston.radius_m();
  const double bulge =
      std::sqrt(std::max(0.0, 1.0 - (x * x + spread) / (a * a) - (y * y + spread) / (b * b)));
  return {0.5 * baffle.width_m() + x * gathered(b, c, a),
          0.5 * baffle.height_m() + y * gathered(a, c, b),
          std::max(0.0, c * bulge * gathered(a, b, c) - 0.5 * baffle.depth_m())};
}

}  // namespace lalometer
