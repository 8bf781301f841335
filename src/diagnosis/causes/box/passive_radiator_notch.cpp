#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/bass/flow.h"

/// The radiator shorts the box at its own resonance.
namespace lalometer {
namespace {

std::vector<Claim> claims(const CaseView& v) {
  if (v.material->subject.radiators.empty()) return {};
  const auto flow = bass_flow(v);
  const bool hole = flow && flow->hole_db < -2.0;
  const bool fitted = v.box && v.box->notch_hz;
  constexpr double kOutOfTheWay = 0.3;  // of the tuning
  const bool by_flows = flow && flow->own_share.value_or(0.0) > kOutOfTheWay && !fitted;
  if (!hole && !fitted && !by_flows) return {};
  Claim c(0.4);
  c.at_hz = hole     ? flow->hole_hz
            : fitted ? v.box->notch_hz->value
                     : *flow->own_share * flow->tuning_hz;
  c.low_hz = c.at_hz / 1.1;
  c.high_hz = c.at_hz * 1.1;
  c.size_db = hole ? flow->hole_db : 0.0;
  if (fitted) {
    const double own = v.box->notch_hz->value;
    const double share = own / v.box->fb_hz.value;
    c.saw(
        std::clamp(std::exp(12.0 * (share - 0.62)), 0.1, 8.0),
        fmt::format("the radiator's own resonance is {:.1f} Hz, {:.2f} of the tuning", own, share),
        ToldBy::kInBox);
  }
  if (by_flows) {
    c.saw(std::clamp(std::exp(12.0 * (*flow->own_share - 0.62)), 0.1, 8.0),
          fmt::format("by the near fields the radiator's own resonance is {:.1f} Hz, {:.2f} of the "
                      "tuning",
                      *flow->own_share * flow->tuning_hz, *flow->own_share),
          ToldBy::kNear);
  }
  // Close below the tuning the fall itself hides it.
  constexpr double kInTheFall = 0.66;
  const bool seen_as_a_hole = hole || !by_flows || *flow->own_share < kInTheFall;
  if (flow && flow->total_q && seen_as_a_hole)
    c.saw(std::clamp(std::pow(-flow->hole_db / 5.0, 2.0), 0.2, 5.0),
          fmt::format("the sum of the near fields has a hole of {:.1f} dB below the tuning",
                      -flow->hole_db),
          ToldBy::kNear);
  c.next_step = "A heavier or softer radiator moves its notch down.";
  return {c};
}

}  // namespace

Cause causes::passive_radiator_notch() {
  return {"passive-radiator-notch", claims};
}

}  // namespace lalometer
