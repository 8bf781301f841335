#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

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

/// Mean level between two frequencies; nothing where no row is valid there.
std::optional<double> mean_db(const CaseView& v, const std::vector<double>& level, double low_hz,
                              double high_hz) {
  double sum = 0.0;
  double count = 0.0;
  for (std::size_t i = 0; i < level.size(); ++i) {
    const double f = (*v.axis)[i];
    if (f < low_hz || f > high_hz || f < v.valid.low_hz || !std::isfinite(level[i])) continue;
    sum += level[i];
    count += 1.0;
  }
  return count < 3.0 ? std::nullopt : std::optional(sum / count);
}

/// Below its peak an open panel is a figure of eight, and falls by 6 dB an octave: whether or not
/// anything stands out.
std::optional<Claim> by_figure_of_eight(const CaseView& v, double peak_hz) {
  if (v.axis_take == nullptr) return std::nullopt;
  Claim c(0.5);
  bool any = false;
  for (const CaseTake* t : v.responses()) {
    const double side = std::abs(t->horizontal_deg);
    if (t->vertical_deg != 0.0 || side < 84.0 || side > 96.0) continue;
    const auto there = mean_db(v, v.levels.at(t), 0.25 * peak_hz, 0.6 * peak_hz);
    const auto ahead = mean_db(v, v.level_db, 0.25 * peak_hz, 0.6 * peak_hz);
    if (!there || !ahead) continue;
    const double less = *ahead - *there;
    c.saw(less > 9.0   ? 5.0
          : less > 6.0 ? 1.5
                       : 0.2,
          fmt::format("at {:.0f}° the level lies {:.0f} dB under the axis below the panel's peak",
                      side, less),
          ToldBy::kSides);
    any = true;
    break;
  }
  const auto low = mean_db(v, v.level_db, 0.17 * peak_hz, 0.25 * peak_hz);
  const auto high = mean_db(v, v.level_db, 0.5 * peak_hz, 0.71 * peak_hz);
  if (low && high) {
    const double slope = (*high - *low) / std::log2(3.0);
    // That it is a figure of eight is what an open panel is for; that it has lost its bass is not.
    c.saw(slope > 4.0 && slope < 10.0 ? 3.0 : 0.12,
          fmt::format("it falls by {:.1f} dB an octave below {}", slope, frequency_text(peak_hz)),
          ToldBy::kAxis);
    any = true;
  }
  if (!any) return std::nullopt;
  c.at_hz = peak_hz;
  c.low_hz = 0.2 * peak_hz;
  c.high_hz = peak_hz;
  c.size_db = high && low ? *low - *high : 0.0;
  c.shape = FindingShape::kStep;
  c.next_step = "Take it in a large baffle: there the rear does not reach the front.";
  return c;
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
    if (!f.large_baffle)
      c.next_step = "Take it in a large baffle: there the rear does not reach the front.";
    all.push_back(std::move(c));
  }
  if (!s.drivers.empty()) {
    const CaseDriver& d = *std::max_element(
        s.drivers.begin(), s.drivers.end(),
        [](const CaseDriver& a, const CaseDriver& b) { return a.radius_m < b.radius_m; });
    const double path = mean_way_m(s.origin_x_m + d.x_m, s.baffle->width_m(), s.origin_y_m + d.y_m,
                                   s.baffle->height_m()) +
                        s.wing_m;
    if (auto c = by_figure_of_eight(v, kSpeedOfSound20_m_s / (2.0 * path)))
      all.push_back(*std::move(c));
  }
  return all;
}

}  // namespace

Cause causes::dipole_cancellation() {
  return {"dipole-cancellation", claims};
}

}  // namespace lalometer
