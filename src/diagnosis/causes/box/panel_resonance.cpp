#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/registry.h"

/// A wall that gives way: sharp, tiny in the impedance, whatever the filling.
namespace lalometer {
namespace {

std::vector<Claim> claims(const CaseView& v) {
  std::vector<Claim> all;
  for (std::size_t i = 0; i < v.wiggles.size(); ++i) {
    const SeenWiggle& w = v.wiggles[i];
    const double f = w.wiggle.frequency_hz.value;
    if (f < 90.0 || f > 1500.0) continue;
    Claim c(0.12);
    c.wiggle = i;
    if (w.in_free_air)
      c.saw(*w.in_free_air ? 0.05 : 3.0,
            *w.in_free_air ? "it is there without the box" : "the driver alone does not have it");
    if (v.material->subject.inner)
      c.saw(w.mode.empty() ? 3.0 : 0.4,
            w.mode.empty() ? "no wave of the box lies there" : "a wave of the box lies there");
    c.saw(w.wiggle.q > 18.0   ? 3.0
          : w.wiggle.q > 10.0 ? 1.0
                              : 0.4,
          fmt::format("its Q is {:.0f}", w.wiggle.q));
    if (w.damped)
      c.saw(*w.damped > 0.7 ? 3.0 : 0.2,
            *w.damped > 0.7 ? "lining does not change it" : "lining makes it smaller");
    if (w.wiggle.height_percent < 0.8) c.saw(0.5, "it is tiny");
    c.next_step = "Press or brace the walls and take the impedance again.";
    all.push_back(std::move(c));
  }
  return all;
}

}  // namespace

Cause causes::panel_resonance() {
  return {"panel-resonance", claims};
}

}  // namespace lalometer
