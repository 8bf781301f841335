#include "diagnosis/causes/bench/codes.h"
#include "diagnosis/registry.h"

/// An input or an amplifier that is driven too far.
namespace lalometer {
namespace {

std::vector<Claim> claims(const CaseView& v) {
  return claims_by_code(v, "clipping", "samples of “{}” stand at the rail",
                        "Turn the input gain or the drive down and take again.");
}

}  // namespace

Cause causes::clipping() {
  return {"clipping", claims};
}

}  // namespace lalometer
