#include "acoustics/impedance/estimate.h"

#include <algorithm>
#include <array>
#include <numeric>

namespace lalometer {
namespace {

/// 97.5 % points of Student's distribution for 1 to 10 degrees of freedom. Source: any statistical
/// table, e.g. ISO 2602.
constexpr std::array<double, 10> kStudent = {12.706, 4.303, 3.182, 2.776, 2.571,
                                             2.447,  2.365, 2.306, 2.262, 2.228};

}  // namespace

Estimate mean_of_repeats(const std::vector<Estimate>& repeats) {
  const auto n = static_cast<double>(repeats.size());
  double mean = 0.0;
  double own = 0.0;
  for (const Estimate& one : repeats) {
    mean += one.value / n;
    own += one.half_width * one.half_width / n;
  }
  // What the repeats share (the rig, the area, the mass) does not average out.
  own = std::sqrt(own);
  if (repeats.size() < 2) return {mean, own};
  double square = 0.0;
  for (const Estimate& one : repeats) square += (one.value - mean) * (one.value - mean);
  const double t = repeats.size() - 2 < kStudent.size() ? kStudent[repeats.size() - 2] : 1.96;
  return {mean, std::max(own, t * std::sqrt(square / (n - 1.0) / n))};
}

}  // namespace lalometer
