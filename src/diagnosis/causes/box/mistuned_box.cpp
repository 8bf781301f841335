#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/impedance/box_signature.h"
#include "base/constants.h"
#include "base/text.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/bass/alignment.h"
#include "diagnosis/view/bass/pipe.h"

/// A tuning far from what volume and port want; a total Q above 1.
namespace lalometer {
namespace {

void saw_alignment(Claim& c, const Alignment& a) {
  const double later = a.reach_hz / a.best_reach_hz;
  const double by_hump = std::exp(2.2 * (a.hump_db - std::max(a.best_hump_db, 1.0) - 1.5));
  const double by_fall = std::exp(40.0 * (later - 1.08));
  c.saw(
      std::clamp(std::max(by_hump, by_fall), 0.1, 25.0),
      by_hump > by_fall
          ? fmt::format("it lifts the bass by {:.1f} dB; tuned to {:.0f} Hz it would by {:.1f} dB",
                        a.hump_db, a.best_fb_hz, std::max(a.best_hump_db, 0.0))
      : a.f6_hz > 1.03 * a.best_f6_hz
          ? fmt::format("it falls 6 dB at {:.0f} Hz; tuned to {:.0f} Hz it would at {:.0f} Hz",
                        a.f6_hz, a.best_fb_hz, a.best_f6_hz)
          : fmt::format("its bass ends near {:.0f} Hz; tuned to {:.0f} Hz it would near {:.0f} Hz",
                        a.reach_hz, a.best_fb_hz, a.best_reach_hz),
      ToldBy::kInBox);
}

/// Where the impedance begins above the lower hump: by the drawing and the upper one.
std::vector<Claim> of_upper_hump(const CaseView& v) {
  const CaseSubject& s = v.material->subject;
  const auto wanted = drawn_tuning_hz(s);
  if (v.box || !v.free_air || v.bass_humps != 1 || v.lower_hump_in_range || !wanted) return {};
  const auto humps = impedance_peaks(v.box_impedance->curve, 0.12);
  const DriverFit& driver = *v.free_air;
  const auto box = tuned_by_upper_hump(driver.fs_hz.value, driver.qms.value, driver.qes.value,
                                       humps.front().frequency_hz, *wanted);
  const auto a = box ? alignment_of(*box) : std::nullopt;
  if (!a) return {};
  Claim c(0.25);
  saw_alignment(c, *a);
  c.next_step = "Take the impedance from 10 Hz on: its lower hump tells the tuning.";
  return {c};
}

std::vector<Claim> claims(const CaseView& v) {
  if (v.material->subject.loading == "vented" && !v.box && v.box_impedance != nullptr)
    return of_upper_hump(v);
  const CaseSubject& s = v.material->subject;
  if (v.box && s.loading == "vented" && s.volume_m3) {
    Claim c(0.3);
    if (const auto wanted = drawn_tuning_hz(s)) {
      const double off = std::log(v.box->fb_hz.value / *wanted);
      c.saw(std::abs(off) > 0.16   ? 25.0
            : std::abs(off) > 0.11 ? 3.0
                                   : 0.55,
            fmt::format("it is tuned to {:.1f} Hz, {:.0f} % {} what {:.1f} l and the port give",
                        v.box->fb_hz.value, 100.0 * std::abs(std::expm1(off)),
                        off < 0.0 ? "below" : "above", 1e3 * *s.volume_m3),
            ToldBy::kInBox);
    }
    // A leak or a choked port takes the bass whatever the tuning.
    constexpr double kLossy = 3.5;
    if (v.box->ql && v.box->ql->value < kLossy)
      c.saw(0.08,
            fmt::format("its losses (QL {:.1f}) bend what tells of the tuning", v.box->ql->value),
            ToldBy::kInBox);
    else if (const auto a = alignment_of(tuned(*v.box)))
      saw_alignment(c, *a);
    c.next_step = "Measure the port's length and the volume again.";
    return {c};
  }
  if (v.closed && s.loading == "sealed") {
    const double q = v.closed->qts.value;
    Claim c(0.2);
    c.saw(q > 1.15  ? 12.0
          : q > 1.0 ? 2.5
                    : 0.05,
          fmt::format("the total Q in the box is {:.2f}", q), ToldBy::kInBox);
    c.next_step = "A larger or a filled box lowers it.";
    return {c};
  }
  return {};
}

}  // namespace

Cause causes::mistuned_box() {
  return {"mistuned-box", claims};
}

}  // namespace lalometer
