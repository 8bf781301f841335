#include "acoustics/open_baffle/dipole.h"

#include <cmath>

#include "base/constants.h"

namespace lalometer {
namespace {

struct Ways {
  double front_m;
  double back_m;
};

/// Way from the driver to the panel's edge in a direction, in front and around the wing behind.
Ways ways_at(const OpenBaffle& b, double phi) {
  const double dx = std::cos(phi);
  const double dy = std::sin(phi);
  const double x = dx > 0.0 ? (b.width_m - b.driver_x_m) / dx : -b.driver_x_m / dx;
  const double y = dy > 0.0 ? (b.height_m - b.driver_y_m) / dy : -b.driver_y_m / dy;
  const bool side = std::abs(dx) > 1e-12 && (std::abs(dy) < 1e-12 || x < y);
  const double way = side ? x : y;
  const double wing = side ? (dx > 0.0 ? b.right_wing_m : b.left_wing_m) : 0.0;
  return {way, std::hypot(way, wing) + wing};
}

constexpr int kDirections = 360;

template <class Visit>
void around(const OpenBaffle& b, Visit visit) {
  for (int i = 0; i < kDirections; ++i) visit(ways_at(b, 2.0 * kPi * (i + 0.5) / kDirections));
}

}  // namespace

Result<void> check(const OpenBaffle& b) {
  const bool on_panel = b.driver_x_m > 0.0 && b.driver_x_m < b.width_m && b.driver_y_m > 0.0 &&
                        b.driver_y_m < b.height_m;
  if (!on_panel) return bad_input("The driver does not lie on the open baffle's panel.");
  if (!(b.left_wing_m >= 0.0) || !(b.right_wing_m >= 0.0))
    return bad_input("A wing's depth must not be below 0.");
  return {};
}

DipoleRule dipole_rule(const OpenBaffle& b, double c) {
  double path = 0.0;
  around(b, [&](const Ways& w) { path += 0.5 * (w.front_m + w.back_m) / kDirections; });
  return {path, 0.5 * c / path, c / path};
}

double open_cavity_hz(double depth_m, double opening_m2, double c) {
  return 0.25 * c / (depth_m + 0.613 * std::sqrt(opening_m2 / kPi));
}

}  // namespace lalometer
