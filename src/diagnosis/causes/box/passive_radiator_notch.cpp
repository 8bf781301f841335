#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/registry.h"

/// The radiator shorts the box at its own resonance.
namespace lalometer {
namespace {

std::vector<Claim> claims(const CaseView& v) {
  if (!v.box || !v.box->notch_hz || !v.material->subject.radiator) return {};
  const double share = v.box->notch_hz->value / v.box->fb_hz.value;
  Claim c(0.25);
  c.at_hz = v.box->notch_hz->value;
  c.low_hz = c.at_hz / 1.1;
  c.high_hz = c.at_hz * 1.1;
  c.saw(share > 0.8   ? 8.0
        : share > 0.7 ? 2.0
                      : 0.3,
        fmt::format("the radiator's own resonance is {:.1f} Hz, {:.2f} of the tuning", c.at_hz,
                    share));
  c.next_step = "A heavier or softer radiator moves its notch down.";
  return {c};
}

}  // namespace

Cause causes::passive_radiator_notch() {
  return {"passive-radiator-notch", claims};
}

}  // namespace lalometer
