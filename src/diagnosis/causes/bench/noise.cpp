#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/registry.h"

/// A room or a rig that is loud beside what is measured.
namespace lalometer {
namespace {

/// What neighbouring rows scatter by about a smooth run, dB (by the median of their second
/// differences: nulls and sharp loops do not count), above a frequency.
double rough_db(const Response& curve, double from_hz) {
  std::vector<double> bends;
  for (std::size_t i = 2; i < curve.size(); ++i)
    if (curve.axis()[i - 2] >= from_hz)
      bends.push_back(
          std::abs(curve.level_db(i) - 2.0 * curve.level_db(i - 1) + curve.level_db(i - 2)));
  if (bends.size() < 16) return 0.0;
  const auto middle = bends.begin() + static_cast<std::ptrdiff_t>(bends.size() / 2);
  std::nth_element(bends.begin(), middle, bends.end());
  return *middle / 0.6745 / std::sqrt(6.0);
}

std::vector<Claim> claims(const CaseView& v) {
  int seen = 0;
  for (const CaseTake& t : v.material->takes)
    seen += std::find(t.seen.begin(), t.seen.end(), "noise") != t.seen.end() ? 1 : 0;
  double worst = 0.0;
  std::string name;
  for (const CaseTake& t : v.material->takes) {
    const double rough = t.kind == CaseTake::Kind::kImpedance ? 3.0 * rough_db(t.curve, 30.0)
                                                              : rough_db(t.curve, 300.0);
    if (rough > worst) {
      worst = rough;
      name = t.name;
    }
  }
  if (seen == 0 && worst < 0.25) return {};
  Claim c(0.3);
  if (seen > 0) c.saw(8.0, fmt::format("{} takes stand little over their noise", seen));
  if (worst >= 0.25)
    c.saw(worst > 0.5 ? 8.0 : 1.5,
          fmt::format("rows of “{}” scatter by {:.1f} dB about a smooth run", name, worst));
  c.next_step = "Wait for quiet, come closer, use a longer sweep or more repeats.";
  return {c};
}

}  // namespace

Cause causes::noise() {
  return {"noise", claims};
}

}  // namespace lalometer
