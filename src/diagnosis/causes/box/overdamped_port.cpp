#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/bass/flow.h"

/// Stuffing before the port: the lower hump falls, the upper one stays.
namespace lalometer {
namespace {

constexpr double kDeparts_percent = 3.0;

/// So much of it that the lower hump is gone, and with it the fit; or a curve that begins too high.
std::vector<Claim> of_no_fit(const CaseView& v) {
  Claim c(0.25);
  c.group = "losses";
  const bool hump =
      !v.box && v.box_impedance != nullptr && v.bass_humps == 1 && v.lower_hump_in_range;
  const bool unlike =
      !v.box && v.box_impedance != nullptr && v.bass_humps >= 2 && v.begins_below_humps;
  if (hump) c.saw(8.0, "one hump stands where a vented box has two", ToldBy::kInBox);
  if (unlike) c.saw(6.0, "no vented box with its two humps follows this impedance", ToldBy::kInBox);
  const bool departs = v.box && v.box->misfit_percent > kDeparts_percent;
  if (departs)
    c.saw(6.0,
          fmt::format("a leaky box departs from this impedance by {:.0f} %", v.box->misfit_percent),
          ToldBy::kInBox);
  const bool flow = saw_flow(c, v, false);
  c.next_step = "Take the port's near field with and without what lies before it.";
  return hump || unlike || departs || flow ? std::vector<Claim>{c} : std::vector<Claim>{};
}

std::vector<Claim> claims(const CaseView& v) {
  if (v.material->subject.loading != "vented") return {};
  if (!v.losses && (!v.box || !v.box->ql)) return of_no_fit(v);
  const double ql = v.box && v.box->ql ? v.box->ql->value : v.losses->total_q();
  Claim c(0.25);
  c.group = "losses";
  c.saw(std::clamp(std::exp(1.3 * (5.3 - ql)), 0.02, 30.0),
        fmt::format("all losses of the box together are QL {:.1f}", ql), ToldBy::kInBox);
  if (const auto& kinds = v.losses) {
    c.saw(kinds->ratio(kinds->port, std::min(kinds->leak, kinds->absorption), kinds->port_alone_q),
          kinds->said(), ToldBy::kInBox);
  }
  saw_flow(c, v, true);
  c.next_step = "Take the port's near field with and without what lies before it.";
  return {c};
}

}  // namespace

Cause causes::overdamped_port() {
  return {"overdamped-port", claims};
}

}  // namespace lalometer
