#include "acoustics/network/design/system_target.h"

#include <algorithm>
#include <cmath>

#include "base/constants.h"

namespace lalometer {
namespace {

double drawn_at(const std::vector<std::pair<double, double>>& drawn, double f) {
  if (drawn.empty()) return 0.0;
  const auto next = std::upper_bound(
      drawn.begin(), drawn.end(), f,
      [](double wanted, const std::pair<double, double>& p) { return wanted < p.first; });
  if (next == drawn.begin()) return drawn.front().second;
  if (next == drawn.end()) return drawn.back().second;
  const auto& a = *(next - 1);
  const auto& b = *next;
  return a.second + (b.second - a.second) * std::log(f / a.first) / std::log(b.first / a.first);
}

}  // namespace

bool SystemTarget::flat() const {
  return slope_db_per_octave == 0.0 && dip_db == 0.0 && drawn.empty();
}

double SystemTarget::at(double f) const {
  double db = slope_db_per_octave * std::log2(f / 1000.0) + drawn_at(drawn, f);
  if (dip_db != 0.0 && f > dip_from_hz && f < dip_to_hz) {
    const double share = std::log(f / dip_from_hz) / std::log(dip_to_hz / dip_from_hz);
    db -= dip_db * 0.5 * (1.0 - std::cos(2.0 * kPi * share));
  }
  return db;
}

}  // namespace lalometer
