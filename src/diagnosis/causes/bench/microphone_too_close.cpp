#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/registry.h"

/// A microphone within the near field of the whole loudspeaker.
namespace lalometer {
namespace {

std::vector<Claim> claims(const CaseView& v) {
  const CaseSubject& s = v.material->subject;
  if (v.axis_take == nullptr || !s.baffle) return {};
  // Sources that lie apart: their ways differ the more the nearer one is.
  double apart = 0.0;
  for (const CaseDriver& a : s.drivers)
    for (const CaseDriver& b : s.drivers)
      apart = std::max(apart, std::hypot(a.x_m - b.x_m, a.y_m - b.y_m));
  // A wall to measure in is no part of the loudspeaker.
  const double front = s.loading == "large-baffle" ? 0.0 : s.baffle->width_m();
  const double size = std::max({front, apart * 1.4, 0.15});
  const double share = v.axis_take->distance_m / size;
  if (share > 2.2) return {};
  Claim c(0.3);
  // From one and a half times on the parts add up as far away, but for their highest frequencies.
  c.saw(std::clamp(std::pow(1.72 / share, 12.0), 0.1, 12.0),
        fmt::format("{} m from a loudspeaker whose parts spread over {:.0f} mm",
                    three_digits(v.axis_take->distance_m), 1e3 * size),
        ToldBy::kAxis);
  c.next_step = "Take it from three times the baffle's width or more.";
  return {c};
}

}  // namespace

Cause causes::microphone_too_close() {
  return {"microphone-too-close", claims};
}

}  // namespace lalometer
