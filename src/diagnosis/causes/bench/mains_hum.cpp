#include "diagnosis/codes.h"
#include "diagnosis/registry.h"

/// The mains in the microphone's or the jig's line.
namespace lalometer {
namespace {

std::vector<Claim> claims(const CaseView& v) {
  return claims_by_code(
      v, "mains-hum", "“{}” holds hum of the mains and its multiples",
      "Keep signal and mains cables apart, use one outlet for all, and take again.");
}

}  // namespace

Cause causes::mains_hum() {
  return {"mains-hum", claims};
}

}  // namespace lalometer
