#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/drivers.h"

/// A piston that is large against the wavelength: less to the side, steadily.
namespace lalometer {
namespace {

/// The take to the side whose angle is nearest to 45 degrees.
const CaseTake* side_take(const CaseView& v) {
  constexpr double kWanted_deg = 45.0;
  constexpr double kFarthest_deg = 21.0;
  const auto off = [&](const CaseTake& t) {
    return std::abs(std::abs(t.horizontal_deg) - kWanted_deg);
  };
  const CaseTake* best = nullptr;
  for (const CaseTake* t : v.responses())
    if (t->vertical_deg == 0.0 && off(*t) < kFarthest_deg &&
        (best == nullptr || off(*t) < off(*best)))
      best = t;
  return best;
}

std::vector<Claim> claims(const CaseView& v) {
  const CaseSubject& s = v.material->subject;
  if (v.axis_take == nullptr) return {};
  // The widest driver that still plays where it beams: below its crossover, or without one.
  const CaseTake* t = side_take(v);
  if (t == nullptr) return {};
  const std::vector<double>& side = v.levels.at(t);
  for (const CaseDriver& d : s.drivers) {
    if (!(d.radius_m > 0.0) || d.high) continue;
    double to_hz = 20000.0;
    for (const CaseCrossover& x : s.crossovers)
      if (named_for(s, d).id == x.low) to_hz = std::min(to_hz, x.frequency_hz / 1.2);
    const double sine = std::sin(std::abs(t->horizontal_deg) * kPi / 180.0);
    // -6 dB of a piston: ka sin = 2.2.
    const double expected = 2.2 * kSpeedOfSound20_m_s / (2.0 * kPi * d.radius_m * sine);
    if (expected > 0.8 * to_hz) continue;
    const auto at = v.axis->bracket(std::min(1.2 * expected, 0.95 * to_hz));
    const double less = side[at] - v.level_db[at];
    if (!(less < -5.0)) continue;
    Claim c(0.62);
    // How much of what it plays lies above where it is down at 45 degrees, to where an upper driver
    // takes over or 10 kHz.
    const double at_45 = expected * sine / std::sqrt(0.5);
    const double octaves = std::log2(std::min(to_hz, 10000.0) / at_45);
    c.at_hz = expected;
    c.low_hz = expected;
    c.high_hz = to_hz;
    c.size_db = less;
    c.shape = FindingShape::kStep;
    c.saw(2.0,
          fmt::format("at {:.0f}° {:.0f} dB are missing at {}; a piston of {:.0f} mm loses "
                      "6 dB at {}",
                      std::abs(t->horizontal_deg), -less, frequency_text((*v.axis)[at]),
                      2e3 * d.radius_m, frequency_text(expected)),
          ToldBy::kSides);
    if (s.loading == "open-baffle") c.saw(0.4, "an open panel narrows by itself");
    c.saw(std::clamp(std::exp(4.0 * (octaves - 1.75)), 0.7, 8.0),
          fmt::format("it plays {:.1f} octaves above where it loses that at 45°", octaves));
    c.next_step = "A lower crossover or a smaller driver widens it.";
    return {c};
  }
  return {};
}

}  // namespace

Cause causes::beaming() {
  return {"beaming", claims};
}

}  // namespace lalometer
