#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/meeting/lobe.h"

/// Two sources too far apart: a dip up or down only, lower as the angle grows.
namespace lalometer {
namespace {

/// Up to so much more than frames allow is near: then a lower crossover is what is missing, not
/// less spacing.
constexpr double kAsNear = 1.3;

/// Centre to centre, where frames touch: a quarter larger than the cones, a dome's plate 100 mm
/// (common practice, no source).
double nearest_m(const CaseDriver& low, const CaseDriver& high) {
  constexpr double kFrame = 1.25;
  constexpr double kDome_m = 0.03;
  constexpr double kPlate_m = 0.05;
  const auto half = [&](const CaseDriver& d) {
    return d.radius_m < kDome_m ? kPlate_m : kFrame * d.radius_m;
  };
  return half(low) + half(high);
}

/// How far the level falls up or down about a crossover: at the null nearest to the axis, or where
/// it is deepest.
constexpr double kNull_db = -12.0;
struct Fall {
  bool looked = false;
  double deepest = 0.0;
  double at_deg = 0.0;
};
Fall fall_of(const CaseView& v, double crossover_hz) {
  Fall fall;
  for (const CaseTake* t : v.responses()) {
    if (t->vertical_deg == 0.0 || std::abs(t->vertical_deg) > 31.0) continue;
    fall.looked = true;
    const std::vector<double>& level = v.levels.at(t);
    double here = 0.0;
    for (std::size_t i = 0; i < v.axis->size(); ++i) {
      if (std::abs(std::log2((*v.axis)[i] / crossover_hz)) > 0.6) continue;
      here = std::min(here, level[i] - v.level_db[i]);
    }
    const double off = std::abs(t->vertical_deg) - std::abs(fall.at_deg);
    const bool nulls = here < kNull_db && fall.deepest < kNull_db;
    if (nulls ? off < -0.5 || (off < 0.5 && here < fall.deepest) : here < fall.deepest) {
      fall.deepest = here;
      fall.at_deg = t->vertical_deg;
    }
  }
  return fall;
}

std::vector<Claim> claims(const CaseView& v) {
  const CaseSubject& s = v.material->subject;
  if (v.axis_take == nullptr) return {};
  std::vector<Claim> all;
  for (const CaseCrossover& x : s.crossovers) {
    const CaseDriver* low = s.driver(x.low);
    const CaseDriver* high = s.driver(x.high);
    if (low == nullptr || high == nullptr) continue;
    const double spacing = std::hypot(low->x_m - high->x_m, low->y_m - high->y_m);
    const double waves = spacing * x.frequency_hz / kSpeedOfSound20_m_s;
    const double upright = std::abs(low->y_m - high->y_m) * x.frequency_hz / kSpeedOfSound20_m_s;
    const auto [looked, deepest, at_deg] = fall_of(v, x.frequency_hz);
    // Where nobody looked up or down, the drawing alone tells, of plainly too much.
    constexpr double kPlainly = 1.7;
    if (!(deepest < -5.0) && (looked || upright < kPlainly)) continue;
    Claim c(0.25);
    c.at_hz = x.frequency_hz;
    c.low_hz = x.frequency_hz / 1.5;
    c.high_hz = x.frequency_hz * 1.5;
    // What two of equal loudness lose by their ways alone.
    constexpr double kOff_deg = 15.0;
    const double foretold_db = std::max(
        20.0 *
            std::log10(std::abs(std::cos(kPi * upright * std::sin(kOff_deg * kPi / 180.0))) + 1e-3),
        -30.0);
    c.size_db = looked ? deepest : foretold_db;
    // Two drivers of usual sizes lie about one wavelength apart there; at one and a half the first
    // null stands 20 degrees off the axis.
    c.saw(std::clamp(std::exp(10.0 * (waves - 1.38)), 0.15, 6.0),
          fmt::format("{} and {} lie {:.0f} mm apart, {:.2f} wavelengths at the crossover{}", x.low,
                      x.high, 1e3 * spacing, waves,
                      looked ? std::string()
                             : fmt::format(": {:.0f} dB less {:.0f}° up or down, by the drawing",
                                           -foretold_db, kOff_deg)));
    const double nearest = nearest_m(*low, *high);
    const bool as_near = spacing < kAsNear * nearest;
    if (as_near)
      c.saw(0.2, fmt::format("they stand about as near as their frames allow ({:.0f} mm)",
                             1e3 * nearest));
    // In phase on the axis, a null so near it is their spacing's alone.
    const auto lobe = lobe_of(v, x, x.frequency_hz);
    const bool null =
        !as_near && deepest < kNull_db && (!lobe || std::abs(lobe->between_deg) < 50.0);
    if (looked)
      c.saw(std::abs(at_deg) > 21.0 ? 0.7
            : null                  ? 6.0
                                    : 2.5,
            fmt::format("{:.0f}° {} the level falls by {:.0f} dB there", std::abs(at_deg),
                        at_deg > 0.0 ? "up" : "down", -deepest),
            ToldBy::kUpDown);
    c.next_step = looked ? "A lower crossover, or drivers closer together."
                         : "Take 15 and 30 degrees up and down: two sources show there.";
    all.push_back(std::move(c));
  }
  return all;
}

}  // namespace

Cause causes::source_spacing_lobing() {
  return {"source-spacing-lobing", claims};
}

}  // namespace lalometer
