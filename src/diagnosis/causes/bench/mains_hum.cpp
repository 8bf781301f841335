#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/registry.h"

/// The mains in the microphone's or the jig's line.
namespace lalometer {
namespace {

std::vector<Claim> claims(const CaseView& v) {
  int seen = 0;
  int takes = 0;
  std::string first;
  for (const CaseTake& t : v.material->takes) {
    ++takes;
    if (std::find(t.seen.begin(), t.seen.end(), "mains-hum") == t.seen.end()) continue;
    if (seen++ == 0) first = t.name;
  }
  if (seen == 0) return {};
  Claim c(0.5);
  c.saw(12.0, fmt::format("“{}” holds hum of the mains and its multiples", first));
  if (seen > 1) c.saw(1.5, fmt::format("{} of {} takes have it", seen, takes));
  c.next_step = "Keep signal and mains cables apart, use one outlet for all, and take again.";
  return {c};
}

}  // namespace

Cause causes::mains_hum() {
  return {"mains-hum", claims};
}

}  // namespace lalometer
