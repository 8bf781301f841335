#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"
#include "diagnosis/registry.h"

/// An open panel: the rear sound meets the front's round its edge.
namespace lalometer {
namespace {

/// Mean way from a driver to the panel's edge, over all directions.
double mean_way_m(double x, double width, double y, double height) {
  constexpr int kDirections = 90;
  double sum = 0.0;
  for (int i = 0; i < kDirections; ++i) {
    const double turn = 2.0 * kPi * (i + 0.5) / kDirections;
    const double dx = std::cos(turn);
    const double dy = std::sin(turn);
    sum += std::min((dx > 0.0 ? width - x : x) / std::abs(dx),
                    (dy > 0.0 ? height - y : y) / std::abs(dy));
  }
  return sum / kDirections;
}

std::vector<Claim> claims(const CaseView& v) {
  const CaseSubject& s = v.material->subject;
  if (s.loading != "open-baffle" || !s.baffle) return {};
  std::vector<Claim> all;
  for (std::size_t i = 0; i < v.features.size(); ++i) {
    const SeenFeature& f = v.features[i];
    const CaseDriver* d = s.driver(f.leads);
    if (d == nullptr) continue;
    const double x = s.origin_x_m + d->x_m;
    const double y = s.origin_y_m + d->y_m;
    const double shortest = std::min(x, s.baffle->width_m() - x) + s.wing_m;
    const double path = mean_way_m(x, s.baffle->width_m(), y, s.baffle->height_m()) + s.wing_m;
    const double peak = kSpeedOfSound20_m_s / (2.0 * path);
    const double null = kSpeedOfSound20_m_s / path;
    const bool dip = f.feature.height_db < 0.0;
    // Between the mean of all ways round and the shortest of them it is where the panel has it.
    const double over = std::log(f.at_hz / (dip ? null : peak));
    const double off = over < 0.0 ? -over : std::max(0.0, over - std::log(path / shortest));
    if (off > 0.35) continue;
    Claim c(1.0);
    c.feature = i;
    c.saw(off < 0.2 ? 3.0 : 1.2,
          fmt::format("front and back meet {:.0f} mm round the panel: a {} near {}", 1e3 * path,
                      dip ? "null" : "peak", frequency_text(dip ? null : peak)));
    if (f.behind && *f.behind > 1.15) c.saw(0.3, "it is larger behind", ToldBy::kBehind);
    if (f.large_baffle)
      c.saw(
          *f.large_baffle < 0.4 ? 2.5 : 0.1,
          *f.large_baffle < 0.4 ? "it is gone in the large baffle" : "the large baffle has it too",
          ToldBy::kLargeBaffle);
    if (f.near && *f.near > 0.6) c.saw(0.1, "the near field has it too", ToldBy::kNear);
    c.next_step = "Take it in a large baffle: there the rear does not reach the front.";
    all.push_back(std::move(c));
  }
  return all;
}

}  // namespace

Cause causes::dipole_cancellation() {
  return {"dipole-cancellation", claims};
}

}  // namespace lalometer
