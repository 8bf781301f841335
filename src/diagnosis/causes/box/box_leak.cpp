#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/impedance/box_signature.h"
#include "base/text.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/bass/flow.h"

/// A box that is not tight.
namespace lalometer {
namespace {

double highest(const Response& z) {
  double most = 0.0;
  for (const ImpedancePeak& p : impedance_peaks(z, 0.12))
    if (p.frequency_hz < 200.0) most = std::max(most, p.magnitude_ohm);
  return most;
}

/// The height of a sealed box's hump over free air's that a tight box and a leaky one miss alike.
/// By the circuit at fc, losses as Q there: 1/Qms over 1/Qms + alpha/w (1/QA + 1/QL), w = fc/fs,
/// alpha = w^2 - 1 (Small, JAES 20 (1972) 798). QA by the filling and a leak's QL of 2: common
/// practice, no source.
double even_share(const CaseView& v) {
  constexpr double kLeaky = 2.0;
  double fc = 0.0;
  for (const ImpedancePeak& p : impedance_peaks(v.box_impedance->curve, 0.12))
    if (fc == 0.0) fc = p.frequency_hz;
  const double w = std::max(fc / v.free_air->fs_hz.value, 1.05);
  const double stiffer = (w * w - 1.0) / w;
  const BoxDamping damping = v.material->subject.damping;
  const double qa = damping == BoxDamping::kFilled  ? 6.0
                    : damping == BoxDamping::kLined ? 20.0
                                                    : 50.0;
  const double own = 1.0 / v.free_air->qms.value;
  const double tight = own / (own + stiffer / qa);
  const double leaky = own / (own + stiffer / qa + stiffer / kLeaky);
  return std::sqrt(tight * leaky);
}

/// Sealed: what is left of the hump that the driver in free air foretells.
std::vector<Claim> of_sealed(const CaseView& v) {
  if (!v.closed && v.box_impedance != nullptr && v.bass_humps >= 2) {
    Claim c(0.25);
    c.saw(8.0, "two humps stand where a sealed box has one", ToldBy::kInBox);
    c.next_step = "Seal everything with putty and take the impedance again.";
    return {c};
  }
  if (v.box_impedance == nullptr || v.bass_humps != 1) return {};
  if (!v.free_air) {
    if (!v.tightness) return {};
    Claim c(0.25);
    c.saw(v.tightness->ratio(), v.tightness->said(), ToldBy::kInBox);
    c.next_step = "Seal everything with putty and take the impedance again.";
    return {c};
  }
  const double even = even_share(v);
  const double share = (highest(v.box_impedance->curve) - v.free_air->re_ohm.value) /
                       (highest(v.free_impedance->curve) - v.free_air->re_ohm.value);
  Claim c(0.25);
  c.saw(std::clamp(std::exp(14.0 * (even - share)), 0.02, 20.0),
        fmt::format("the hump is {:.0f} % as high as in free air", 100.0 * share),
        ToldBy::kFreeAir);
  // The same hump, so it counts less beside its height.
  if (v.tightness)
    c.saw(std::clamp(v.tightness->ratio(), 0.1, 6.0), v.tightness->said(), ToldBy::kInBox);
  c.next_step = "Seal everything with putty and take the impedance again.";
  return {c};
}

/// With a passive radiator: what is left for a leak when the radiator's own loss is taken out of
/// all losses. With a Q of q at its own resonance, s times the tuning, that is q (1 - s^2) / s at
/// the tuning (Small 1974); q 5 to 15, common practice. Of three simulators 18 tight
/// boxes are left with 4.9 and more, 18 with a QL of 1.8 to 3.4 with 1.8 to 3.3.
std::vector<Claim> of_radiator(const CaseView& v) {
  constexpr double kOwn_q = 9.0;
  constexpr double kUsualShare = 0.45;
  constexpr double kBetween = 4.0;
  const auto left_of = [](double total_q, double own_share) {
    const double share = std::clamp(own_share, 0.2, 0.95);
    const double own = kOwn_q * (1.0 - share * share) / share;
    return 1.0 / std::max(1.0 / total_q - 1.0 / own, 0.05);
  };
  Claim c(0.25);
  c.group = "losses";
  const auto flow = bass_flow(v);
  if (!flow || !flow->total_q) {
    if (!v.box || !v.box->passed_q) return {};
    // Toward the tight end of what the curve allows.
    const Estimate& q = *v.box->passed_q;
    const double left = left_of(q.value + 0.5 * q.half_width, kUsualShare);
    c.saw(std::clamp(std::exp(1.8 * (kBetween - left)), 0.02, 25.0),
          fmt::format("by the impedance the radiator moves {:.1f} times the cone's air at {:.0f} "
                      "Hz: all losses together",
                      q.value, v.box->fb_hz.value),
          ToldBy::kInBox);
    c.next_step = "Seal everything with putty and take the impedance again.";
    return {c};
  }
  const double left = left_of(*flow->total_q, flow->own_share.value_or(kUsualShare));
  c.saw(std::clamp(std::exp(1.8 * (kBetween - left)), 0.02, 25.0),
        fmt::format("by the near fields the radiator moves {:.1f} times the cone's air at {:.0f} "
                    "Hz, which is a QL of {:.1f} beside an ordinary radiator's own loss",
                    *flow->total_q, flow->tuning_hz, left),
        ToldBy::kNear);
  c.next_step = "Seal everything with putty and take both near fields again.";
  return {c};
}

std::vector<Claim> claims(const CaseView& v) {
  if (v.material->subject.loading == "sealed") return of_sealed(v);
  if (v.material->subject.loading == "passive-radiator") return of_radiator(v);
  if (v.material->subject.loading != "vented") return {};
  if (!v.losses && (!v.box || !v.box->ql)) {
    Claim c(0.25);
    c.group = "losses";
    const bool hump =
        !v.box && v.box_impedance != nullptr && v.bass_humps == 1 && v.lower_hump_in_range;
    if (hump) c.saw(1.5, "one hump stands where a vented box has two", ToldBy::kInBox);
    if (v.box && v.box->misfit_percent > 3.0)
      c.saw(
          0.2,
          fmt::format("a leaky box departs from this impedance by {:.0f} %", v.box->misfit_percent),
          ToldBy::kInBox);
    const bool flow = saw_flow(c, v, false);
    c.next_step = "Seal everything with putty and take the impedance again.";
    return hump || flow ? std::vector<Claim>{c} : std::vector<Claim>{};
  }
  const double ql = v.box && v.box->ql ? v.box->ql->value : v.losses->total_q();
  Claim c(0.25);
  c.group = "losses";
  c.saw(std::clamp(std::exp(1.3 * (5.3 - ql)), 0.02, 30.0),
        fmt::format("all losses of the box together are QL {:.1f} (below 5: leaky)", ql),
        ToldBy::kInBox);
  if (const auto& kinds = v.losses) {
    c.saw(kinds->ratio(kinds->leak, std::min(kinds->port, kinds->absorption), kinds->leak_alone_q),
          kinds->said(), ToldBy::kInBox);
  }
  saw_flow(c, v, true);
  c.next_step = "Seal everything with putty and take the impedance again.";
  return {c};
}

}  // namespace

Cause causes::box_leak() {
  return {"box-leak", claims};
}

}  // namespace lalometer
