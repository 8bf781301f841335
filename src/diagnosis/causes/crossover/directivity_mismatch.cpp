#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/registry.h"

/// The upper driver radiates wider than the lower one where they meet.
namespace lalometer {
namespace {

/// How far a side rises from its lowest below the crossover to what it is above, re the axis, dB.
std::optional<double> jump_db(const CaseView& v, const std::vector<double>& side, double at_hz) {
  double least = 1e9, above = 0.0, n = 0.0;
  for (std::size_t i = 0; i < v.axis->size(); ++i) {
    const double octaves = std::log2((*v.axis)[i] / at_hz);
    const double less = side[i] - v.level_db[i];
    if (!std::isfinite(less)) continue;
    if (octaves > -1.0 && octaves < 0.1) least = std::min(least, less);
    if (octaves > 0.3 && octaves < 0.9) {
      above += less;
      n += 1.0;
    }
  }
  if (n < 1.0 || least > 1e8) return std::nullopt;
  return above / n - least;
}

std::vector<Claim> claims(const CaseView& v) {
  if (v.axis_take == nullptr) return {};
  std::vector<Claim> all;
  for (const CaseCrossover& x : v.material->subject.crossovers) {
    double sum = 0.0;
    double count = 0.0;
    for (const CaseTake* t : v.responses()) {
      const double deg = std::abs(t->horizontal_deg);
      if (t->vertical_deg != 0.0 || deg < 50.0 || deg > 75.0) continue;
      if (const auto jump = jump_db(v, v.levels.at(t), x.frequency_hz)) {
        sum += *jump;
        count += 1.0;
      }
    }
    if (count < 1.0) continue;
    const double jump = sum / count;
    const double ka = v.ka(x.low, x.frequency_hz);
    Claim c(0.4);
    c.at_hz = x.frequency_hz;
    c.low_hz = x.frequency_hz / 1.6;
    c.high_hz = x.frequency_hz * 2.0;
    c.shape = FindingShape::kStep;
    c.size_db = jump;
    c.saw(std::clamp(std::exp(0.6 * (jump - 3.5)), 0.1, 5.0),
          fmt::format("to the sides the level jumps by {:+.1f} dB through the crossover", jump),
          ToldBy::kSides);
    // Of a jump beyond doubt a cone need not be so large.
    const double large = 3.9 - 0.4 * std::clamp((jump - 5.0) / 1.5, 0.0, 1.0);
    c.saw(std::clamp(std::exp(3.0 * (ka - large)), 0.03, 8.0),
          fmt::format("{} measures {:.1f} wavelengths round there", x.low, ka));
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
