#include "diagnosis/view/sound/comb.h"

#include <algorithm>
#include <cmath>

namespace lalometer {

void find_comb(CaseView& v) {
  constexpr std::size_t kLeast = 5;
  constexpr double kEven = 0.3;
  for (std::size_t first = 0; first + kLeast <= v.features.size();) {
    std::size_t last = first + 1;
    const auto step = [&](std::size_t i) { return v.features[i].at_hz - v.features[i - 1].at_hz; };
    while (last < v.features.size() &&
           v.features[last].feature.height_db * v.features[last - 1].feature.height_db < 0.0 &&
           (last == first + 1 || std::abs(step(last) / step(last - 1) - 1.0) < kEven))
      ++last;
    if (last - first >= kLeast) {
      for (std::size_t i = first; i < last; ++i) v.features[i].in_comb = true;
      v.comb_hz = 2.0 * (v.features[last - 1].at_hz - v.features[first].at_hz) /
                  static_cast<double>(last - first - 1);
    }
    first = std::max(last - 1, first + 1);
  }
  if (v.comb_hz <= 0.0) return;
  // Higher up, others stand between.
  for (std::size_t i = 1; i < v.features.size(); ++i) {
    const double gap = v.features[i].at_hz - v.features[i - 1].at_hz;
    if (std::abs(gap / (0.5 * v.comb_hz) - 1.0) < 0.45)
      v.features[i].in_comb = v.features[i - 1].in_comb = true;
  }
}

namespace {

/// Of the rows themselves: between them a comb may turn faster than they can follow.
std::optional<SecondArrival> arrival_in(const Response& curve, double least_s, double most_s) {
  constexpr double kTop_hz = 12000.0;
  std::vector<double> level(curve.size());
  for (std::size_t i = 0; i < level.size(); ++i) level[i] = curve.level_db(i);
  const ValidRange valid = curve.valid();
  return second_arrival(curve.axis(), level,
                        {1.05 * valid.low_hz, std::min(valid.high_hz, kTop_hz)}, least_s, most_s);
}

}  // namespace

bool take_out_comb(CaseView& v) {
  constexpr double kWide = 0.15;
  constexpr double kOfTurning = 0.08;  // of the delay from one angle to another
  const double about_s = 1.0 / v.comb_hz;
  const auto own = arrival_in(v.axis_take->curve, about_s * (1.0 - kWide), about_s * (1.0 + kWide));
  if (!own) return false;
  for (const CaseTake& t : v.material->takes) {
    if (t.kind != CaseTake::Kind::kResponse || t.variant != v.variant) continue;
    const auto its = &t == v.axis_take ? own
                                       : arrival_in(t.curve, own->delay_s * (1.0 - kOfTurning),
                                                    own->delay_s * (1.0 + kOfTurning));
    if (!its) continue;
    v.arrivals.emplace(&t, *its);
    v.levels.at(&t) = level_on(without(*its, t.curve), *v.axis);
  }
  v.level_db = v.levels.at(v.axis_take);
  return true;
}

}  // namespace lalometer
