#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/registry.h"

/// The air of the box rings between two walls.
namespace lalometer {
namespace {

std::vector<Claim> claims(const CaseView& v) {
  std::vector<Claim> all;
  for (std::size_t i = 0; i < v.wiggles.size(); ++i) {
    const SeenWiggle& w = v.wiggles[i];
    if (w.mode.empty()) continue;
    Claim c(0.4);
    c.wiggle = i;
    c.saw(std::exp(-0.5 * std::pow(w.mode_off / 0.025, 2)) * (w.mode == "higher" ? 1.5 : 4.0),
          fmt::format("the box's {} wave lies {:.1f} % from it", w.mode, 100.0 * w.mode_off),
          ToldBy::kInBox);
    if (w.in_free_air)
      c.saw(*w.in_free_air ? 0.05 : 3.0,
            *w.in_free_air ? "it is there without the box" : "the driver alone does not have it",
            ToldBy::kFreeAir);
    if (w.damped)
      c.saw(*w.damped < 0.6 ? 4.0 : 0.4,
            *w.damped < 0.6 ? "lining makes it smaller" : "lining does not change it",
            ToldBy::kInBoxes);
    // A lined box has a little of it always.
    const double height = w.wiggle.height_percent;
    c.saw(std::clamp(std::pow(height / 4.5, 2.0), 0.06, 3.0),
          fmt::format("the loop is {:.1f} % high", height), ToldBy::kInBox);
    // A lining leaves a wave a Q of some 8 to 12, bare walls 25 and more (common practice).
    const double q = w.wiggle.q;
    c.saw(std::clamp(std::pow(q / 17.0, 3.0), 0.15, 5.0),
          fmt::format("it {} (Q {:.0f})", q > 17.0 ? "rings long" : "is damped", q),
          ToldBy::kInBox);
    c.next_step = w.damped ? "Keep the lining, or line the two walls that face each other thicker."
                           : "Line the box or fill it and take the impedance again: a wave of the "
                             "air shrinks.";
    all.push_back(std::move(c));
  }
  return all;
}

}  // namespace

Cause causes::cabinet_standing_wave() {
  return {"cabinet-standing-wave", claims};
}

}  // namespace lalometer
