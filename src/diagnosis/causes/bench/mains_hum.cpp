#include <fmt/format.h>

#include "diagnosis/causes/bench/codes.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/mains.h"

/// The mains in the microphone's or the jig's line.
namespace lalometer {
namespace {

/// In a list of numbers: rows by the mains' multiples stand out, and none between them.
std::vector<Claim> of_lists(const CaseView& v) {
  const SeenMains seen = mains_in(*v.material);
  if (seen.count == 0) return {};
  Claim c(0.3);
  c.saw(seen.count >= 4 ? 20.0 : 6.0,
        fmt::format("rows of “{}” at {} multiples of {:.0f} Hz stand out by {:.1f} dB", seen.name,
                    seen.count, seen.mains_hz, seen.mean_db),
        std::vector{seen.take});
  constexpr std::size_t kMany = 4;
  if (seen.takes > 1)
    c.saw(3.0, fmt::format("{} takes have it", seen.takes));
  else if (v.material->takes.size() > kMany)
    c.saw(0.3, fmt::format("of {} takes it is the only one", v.material->takes.size()));
  c.next_step = "Keep signal and mains cables apart, use one outlet for all, and take again.";
  return {c};
}

std::vector<Claim> claims(const CaseView& v) {
  auto heard =
      claims_by_code(v, "mains-hum", "“{}” holds hum of the mains and its multiples",
                     "Keep signal and mains cables apart, use one outlet for all, and take again.");
  return heard.empty() ? of_lists(v) : heard;
}

}  // namespace

Cause causes::mains_hum() {
  return {"mains-hum", claims};
}

}  // namespace lalometer
