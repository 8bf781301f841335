#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/registry.h"

/// A box that is not tight.
namespace lalometer {
namespace {

/// Sealed: what is left of the hump that the driver in free air foretells.
std::vector<Claim> of_sealed(const CaseView& v) {
  if (!v.closed || !v.free_air) return {};
  const double share =
      v.closed->qms.value / v.free_air->qms.value * v.free_air->fs_hz.value / v.closed->fs_hz.value;
  Claim c(0.25);
  c.saw(share < 0.25  ? 20.0
        : share < 0.4 ? 3.0
                      : 0.1,
        fmt::format("the hump has {:.0f} % of the Q that the driver in free air foretells",
                    100.0 * share));
  c.next_step = "Seal everything with putty and take the impedance again.";
  return {c};
}

std::vector<Claim> claims(const CaseView& v) {
  if (v.material->subject.loading == "sealed") return of_sealed(v);
  if (!v.box || !v.box->ql || v.material->subject.loading != "vented") return {};
  const double ql = v.box->ql->value;
  Claim c(0.25);
  c.group = "losses";
  c.saw(std::clamp(std::exp(1.3 * (5.3 - ql)), 0.02, 30.0),
        fmt::format("all losses of the box together are QL {:.1f} (below 5: leaky)", ql));
  if (const auto& kinds = v.losses) {
    const double other = std::min(kinds->port, kinds->absorption);
    c.saw(std::clamp(std::pow(other / std::max(kinds->leak, 1e-4), 2.5), 0.05, 20.0),
          fmt::format("a leak follows the impedance within {:.1f} %, other losses within {:.1f} %",
                      100.0 * kinds->leak, 100.0 * other));
  }
  c.next_step = "Seal everything with putty and take the impedance again.";
  return {c};
}

}  // namespace

Cause causes::box_leak() {
  return {"box-leak", claims};
}

}  // namespace lalometer
