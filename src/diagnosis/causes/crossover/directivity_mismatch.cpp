#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/registry.h"

/// The upper driver radiates wider than the lower one where they meet.
namespace lalometer {
namespace {

std::vector<Claim> claims(const CaseView& v) {
  if (v.axis_take == nullptr) return {};
  std::vector<Claim> all;
  for (const CaseCrossover& x : v.material->subject.crossovers) {
    double sum = 0.0;
    double count = 0.0;
    for (const CaseTake* t : v.responses()) {
      const double deg = std::abs(t->horizontal_deg);
      if (t->vertical_deg != 0.0 || deg < 40.0 || deg > 75.0) continue;
      const std::vector<double>& level = v.levels.at(t);
      double below = 0.0, above = 0.0, n = 0.0, m = 0.0;
      for (std::size_t i = 0; i < v.axis->size(); ++i) {
        const double octaves = std::log2((*v.axis)[i] / x.frequency_hz);
        const double less = level[i] - v.level_db[i];
        if (!std::isfinite(less)) continue;
        if (octaves > -0.7 && octaves < -0.2) {
          below += less;
          n += 1.0;
        }
        if (octaves > 0.4 && octaves < 0.9) {
          above += less;
          m += 1.0;
        }
      }
      if (n < 1.0 || m < 1.0) continue;
      sum += above / m - below / n;
      count += 1.0;
    }
    if (count < 1.0) continue;
    const double jump = sum / count;
    Claim c(0.2);
    c.at_hz = x.frequency_hz;
    c.low_hz = x.frequency_hz / 1.6;
    c.high_hz = x.frequency_hz * 2.0;
    c.shape = FindingShape::kStep;
    c.size_db = jump;
    c.saw(jump > 5.5   ? 15.0
          : jump > 4.0 ? 2.5
                       : 0.05,
          fmt::format("to the sides the level jumps by {:+.1f} dB through the crossover", jump));
    c.next_step = "A lower crossover, or a waveguide for the upper driver.";
    all.push_back(std::move(c));
  }
  return all;
}

}  // namespace

Cause causes::directivity_mismatch() {
  return {"directivity-mismatch", claims};
}

}  // namespace lalometer
