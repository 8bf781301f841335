#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/registry.h"

/// An input or an amplifier that is driven too far.
namespace lalometer {
namespace {

std::vector<Claim> claims(const CaseView& v) {
  int seen = 0;
  int takes = 0;
  std::string first;
  for (const CaseTake& t : v.material->takes) {
    ++takes;
    if (std::find(t.seen.begin(), t.seen.end(), "clipping") == t.seen.end()) continue;
    if (seen++ == 0) first = t.name;
  }
  if (seen == 0) return {};
  Claim c(0.5);
  c.saw(12.0, fmt::format("samples of “{}” stand at the rail", first));
  if (seen > 1) c.saw(1.5, fmt::format("{} of {} takes have it", seen, takes));
  c.next_step = "Turn the input gain or the drive down and take again.";
  return {c};
}

}  // namespace

Cause causes::clipping() {
  return {"clipping", claims};
}

}  // namespace lalometer
