#include "acoustics/open_baffle/shallow_box.h"

#include <algorithm>
#include <cmath>

#include "acoustics/open_baffle/thin_panel.h"
#include "base/constants.h"

namespace lalometer {
namespace {

constexpr double kShallow = 0.2;
constexpr double kDeep = 0.4;

double side_m(const Baffle& baffle) {
  return std::sqrt(baffle.width_m() * baffle.height_m());
}

}  // namespace

bool is_shallow(const Baffle& baffle) {
  return baffle.depth_m() < kDeep * side_m(baffle);
}

std::vector<std::complex<double>> box_response(const Baffle& baffle, const BafflePiston& piston,
                                               const BafflePoint& at, const FrequencyAxis& axis,
                                               double c, DiffractionEffort effort) {
  std::vector<std::complex<double>> values = baffle_response(baffle, piston, at, axis, c, effort);
  constexpr double kLow = 3.5;
  constexpr double kHigh = 5.0;
  const double side = side_m(baffle);
  const double depth = baffle.depth_m();
  const double shallow = std::clamp((kDeep - depth / side) / (kDeep - kShallow), 0.0, 1.0);
  const auto low_share = [&](double f) {
    return std::clamp((kHigh - 2.0 * kPi * f / c * side) / (kHigh - kLow), 0.0, 1.0);
  };
  if (effort != DiffractionEffort::kFine || shallow <= 0.0 || low_share(axis.front()) <= 0.0)
    return values;
  std::vector<double> low;
  for (const double f : axis.hz())
    if (low_share(f) > 0.0) low.push_back(f);
  const FrequencyAxis low_axis = *FrequencyAxis::make(std::move(low));
  const OpenBaffle panel{.width_m = baffle.width_m() + depth,
                         .height_m = baffle.height_m() + depth,
                         .driver_x_m = piston.x_m() + 0.5 * depth,
                         .driver_y_m = piston.y_m() + 0.5 * depth};
  const auto opposite = solved_panel(panel, c)->response(
      {at.x_m + 0.5 * depth, at.y_m + 0.5 * depth, at.z_m}, piston.radius_m(), low_axis);
  const auto alike =
      infinite_baffle_response(piston, {at.x_m, at.y_m, std::abs(at.z_m)}, low_axis, c);
  for (std::size_t i = 0; i < low_axis.size(); ++i) {
    const double share = shallow * low_share(low_axis[i]);
    values[i] = (1.0 - share) * values[i] + share * 0.5 * (alike[i] + opposite[i]);
  }
  return values;
}

}  // namespace lalometer
