#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/bass/flow.h"

/// The radiator shorts the box at its own resonance.
namespace lalometer {
namespace {

/// The deepest dip of the response below the tuning: there the radiator's own resonance is, where
/// nothing else shows it.
const SeenFeature* hole_on_axis(const CaseView& v, double tuning_hz) {
  const SeenFeature* deepest = nullptr;
  for (const SeenFeature& f : v.features) {
    if (f.feature.height_db > -2.0 || f.in_comb || f.at_hz > 0.97 * tuning_hz ||
        f.at_hz < std::max(0.4 * tuning_hz, 1.2 * v.valid.low_hz))
      continue;
    if (deepest == nullptr || f.feature.height_db < deepest->feature.height_db) deepest = &f;
  }
  return deepest;
}

/// Another dip of the bass, above the tuning: a room makes several, a radiator one.
bool others_in_the_bass(const CaseView& v, double tuning_hz) {
  constexpr double kBass_hz = 300.0;
  constexpr double kDip_db = -2.0;
  return std::any_of(v.features.begin(), v.features.end(), [&](const SeenFeature& f) {
    return f.feature.height_db < kDip_db && f.at_hz > 1.05 * tuning_hz && f.at_hz < kBass_hz;
  });
}

/// How much likelier a radiator whose resonance is that share of the tuning is one too light or too
/// stiff.
double too_near(double share) {
  return std::clamp(std::exp(12.0 * (share - 0.62)), 0.1, 8.0);
}

/// By the response alone, where the gate is long enough.
std::vector<Claim> by_axis(const CaseView& v) {
  if (!v.box) return {};
  const double tuning = v.box->fb_hz.value;
  const SeenFeature* f = hole_on_axis(v, tuning);
  if (f == nullptr) return {};
  Claim c(0.4);
  c.feature = static_cast<std::size_t>(f - v.features.data());
  const double share = f->at_hz / tuning;
  c.saw(too_near(share),
        fmt::format("the impedance's tuning is {:.1f} Hz, and the response has its hole at {:.2f} "
                    "of that",
                    tuning, share),
        ToldBy::kInBox);
  c.saw(std::clamp(std::pow(f->feature.height_db / 5.0, 2.0), 0.2, 5.0),
        fmt::format("the hole is {:.1f} dB deep", -f->feature.height_db), ToldBy::kAxis);
  if (others_in_the_bass(v, tuning))
    c.saw(0.1, "other dips stand in the bass, as of a room", ToldBy::kAxis);
  if (f->horizontal)
    c.saw(*f->horizontal > 0.65 ? 1.5 : 0.1,
          *f->horizontal > 0.65 ? "it is alike at all angles" : "it is not alike at all angles",
          ToldBy::kSides);
  c.next_step = "Near fields of cone and radiator: where both sum to nothing is its resonance.";
  return {c};
}

std::vector<Claim> claims(const CaseView& v) {
  if (v.material->subject.radiators.empty()) return {};
  const auto flow = bass_flow(v);
  const bool hole = flow && flow->hole_db < -2.0;
  // A fit that hardly knows it gives way to what the flows tell.
  constexpr double kKnown = 0.1;
  const bool by_flows =
      flow && flow->own_share &&
      !(v.box && v.box->notch_hz && v.box->notch_hz->half_width < kKnown * v.box->notch_hz->value);
  const bool fitted = v.box && v.box->notch_hz && !by_flows;
  constexpr double kOutOfTheWay = 0.3;  // of the tuning
  if (!hole && !fitted && !(by_flows && *flow->own_share > kOutOfTheWay)) return by_axis(v);
  Claim c(0.7);
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
        too_near(share),
        fmt::format("the radiator's own resonance is {:.1f} Hz, {:.2f} of the tuning", own, share),
        ToldBy::kInBox);
  }
  if (by_flows) {
    c.saw(too_near(*flow->own_share),
          fmt::format("by the near fields the radiator's own resonance is {:.1f} Hz, {:.2f} of the "
                      "tuning",
                      *flow->own_share * flow->tuning_hz, *flow->own_share),
          ToldBy::kNear);
  }
  // Close below the tuning the fall itself hides it.
  constexpr double kInTheFall = 0.66;
  const bool in_the_fall = by_flows && *flow->own_share >= kInTheFall;
  if (flow && flow->total_q && (hole || !in_the_fall))
    c.saw(std::clamp(std::pow(-flow->hole_db / 5.0, 2.0), in_the_fall ? 1.0 : 0.2, 5.0),
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
