#include "diagnosis/view/sound/step.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "acoustics/baffle/rules.h"
#include "diagnosis/view/drivers.h"
#include "diagnosis/view/repeats.h"

namespace lalometer {
namespace {

constexpr double kLeast_db = 2.0;

std::optional<double> slope_against(const std::vector<double>& y, const std::vector<double>& x,
                                    std::size_t from, std::size_t to) {
  double n = 0.0, sx = 0.0, sy = 0.0, sxx = 0.0, sxy = 0.0;
  for (std::size_t i = from; i < to; ++i) {
    if (!std::isfinite(y[i]) || !std::isfinite(x[i])) continue;
    n += 1.0;
    sx += x[i];
    sy += y[i];
    sxx += x[i] * x[i];
    sxy += x[i] * y[i];
  }
  const double spread = sxx - sx * sx / std::max(n, 1.0);
  if (n < 16.0 || spread <= 0.0) return std::nullopt;
  return (sxy - sx * sy / n) / spread;
}

/// The reference without what stands out of it: a hole at one end of the range is no step.
std::vector<double> without_features(const CaseView& v) {
  constexpr double kStandsOut_db = 2.0;
  constexpr double kNarrow_q = 3.0;
  std::vector<double> level = v.level_db;
  for (const SeenFeature& f : v.features) {
    if (std::abs(f.feature.height_db) < kStandsOut_db || f.q < kNarrow_q) continue;
    const double by = std::exp2(1.5 / f.q);
    const std::size_t to = v.axis->bracket(f.at_hz * by);
    for (std::size_t i = v.axis->bracket(f.at_hz / by); i <= to; ++i)
      level[i] = std::numeric_limits<double>::quiet_NaN();
  }
  return level;
}

/// Below twice that the box's own fall is in the level; 0: no impedance told it.
constexpr double kOverBass = 2.0;
double bass_hz(const CaseView& v) {
  if (v.closed) return v.closed->fs_hz.value;
  return v.box ? v.box->fb_hz.value : 0.0;
}

}  // namespace

std::optional<StepShare> step_share(const CaseView& v) {
  const CaseSubject& s = v.material->subject;
  if (v.axis_take == nullptr || !s.baffle || s.loading == "open-baffle") return std::nullopt;
  const double step = baffle_step_rule_hz(*s.baffle);
  const std::string lead = leading_driver(s, step);
  const auto edges = v.edges.find(lead);
  if (edges == v.edges.end()) return std::nullopt;
  StepShare out;
  out.low_hz = std::max({1.1 * v.valid.low_hz, 100.0, kOverBass * bass_hz(v)});
  out.high_hz = 3.0 * step;
  for (const CaseCrossover& x : s.crossovers)
    if (x.low == lead) out.high_hz = std::min(out.high_hz, 0.7 * x.frequency_hz);
  // What lies below the step must have been measured.
  if (out.low_hz > 0.62 * step || out.high_hz < 2.0 * out.low_hz) return std::nullopt;
  const std::size_t from = v.axis->bracket(out.low_hz);
  const std::size_t to = v.axis->bracket(out.high_hz);
  double least = 1e9;
  double most = -1e9;
  for (std::size_t i = from; i < to; ++i)
    if (std::isfinite(edges->second[i])) {
      least = std::min(least, edges->second[i]);
      most = std::max(most, edges->second[i]);
    }
  out.foretold_db = most - least;
  if (out.foretold_db < kLeast_db) return std::nullopt;
  const auto share = slope_against(without_features(v), edges->second, from, to);
  if (!share) return std::nullopt;
  out.share = *share;
  // Repeats have it too, or it was no step.
  for (const CaseTake& t : v.material->takes) {
    if (!taken_again(*v.axis_take, t)) continue;
    const auto again = slope_against(v.levels.at(&t), edges->second, from, to);
    if (again) out.share = std::min(out.share, *again);
    out.noise_db = repeats_apart_db(v).value_or(0.0);
  }
  for (const CaseTake& t : v.material->takes)
    if (t.kind == CaseTake::Kind::kNearField && t.source == lead && t.variant == v.variant) {
      const std::size_t end = std::min(to, v.axis->bracket(step * 2.0));
      if (v.ka(lead, (*v.axis)[end]) < 1.2)
        out.near = slope_against(v.levels.at(&t), edges->second, from, end);
    }
  return out;
}

}  // namespace lalometer
