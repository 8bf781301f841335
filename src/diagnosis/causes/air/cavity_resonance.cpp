#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"
#include "diagnosis/registry.h"

/// A frame before or behind an open panel: a quarter wave of its depth.
namespace lalometer {
namespace {

std::vector<Claim> claims(const CaseView& v) {
  const CaseSubject& s = v.material->subject;
  if (s.loading != "open-baffle" || !(s.wing_m > 0.02)) return {};
  std::vector<Claim> all;
  // The air at the mouth moves along: from a few centimetres to 0.6 of the mouth's radius (a tube's
  // end, Levine and Schwinger 1948).
  const double quarter = kSpeedOfSound20_m_s / (4.0 * (s.wing_m + 0.04));
  const double mouth_m =
      s.baffle ? std::sqrt(s.baffle->width_m() * s.baffle->height_m() / kPi) : 0.0;
  const double lowest = kSpeedOfSound20_m_s / (4.0 * (s.wing_m + std::max(0.04, 0.6 * mouth_m)));
  for (std::size_t i = 0; i < v.features.size(); ++i) {
    const SeenFeature& f = v.features[i];
    const double off = std::max({0.0, std::log(f.at_hz / quarter), std::log(lowest / f.at_hz)});
    if (off > 0.3) continue;
    Claim c(1.2);
    c.feature = i;
    c.saw(off < 0.15 ? 4.0 : 1.5,
          fmt::format("the wings are {:.0f} mm deep: a quarter wave from {} to {}", 1e3 * s.wing_m,
                      frequency_text(lowest), frequency_text(quarter)));
    c.saw(f.feature.height_db > 0.0 ? 2.0 : 0.2,
          f.feature.height_db > 0.0 ? "it is a peak" : "it is a dip", ToldBy::kAxis);
    if (f.behind)
      c.saw(*f.behind > 1.15  ? 8.0
            : *f.behind > 0.9 ? 1.0
                              : 0.3,
            fmt::format("behind it is {:.1f} times as large", *f.behind), ToldBy::kBehind);
    if (f.wiggle_box && *f.wiggle_box > 1.0)
      c.saw(1.5, "the impedance has a loop there", ToldBy::kInBox);
    c.next_step = "Take it without the wings.";
    all.push_back(std::move(c));
  }
  return all;
}

}  // namespace

Cause causes::cavity_resonance() {
  return {"cavity-resonance", claims};
}

}  // namespace lalometer
