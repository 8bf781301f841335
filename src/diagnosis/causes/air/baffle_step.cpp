#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/baffle/rules.h"
#include "base/text.h"
#include "diagnosis/registry.h"

/// From radiating all round to radiating forward: a shelf around 115 m/s over the width.
namespace lalometer {
namespace {

double mean_db(const CaseView& v, double low, double high) {
  double sum = 0.0;
  double count = 0.0;
  for (std::size_t i = 0; i < v.axis->size(); ++i)
    if ((*v.axis)[i] >= low && (*v.axis)[i] <= high && std::isfinite(v.level_db[i])) {
      sum += v.level_db[i];
      count += 1.0;
    }
  return count > 0.0 ? sum / count : std::nan("");
}

std::vector<Claim> claims(const CaseView& v) {
  const CaseSubject& s = v.material->subject;
  if (v.axis_take == nullptr || !s.baffle || s.loading == "open-baffle") return {};
  const double step_hz = baffle_step_rule_hz(*s.baffle);
  // Less than an octave below tells no shelf.
  if (v.valid.low_hz > 0.2 * step_hz) return {};
  const double below = mean_db(v, std::max(v.valid.low_hz, 0.2 * step_hz), 0.4 * step_hz);
  const double above = mean_db(v, 1.5 * step_hz, 3.0 * step_hz);
  if (!(above - below > 3.0)) return {};
  Claim c(0.25);
  c.at_hz = step_hz;
  c.low_hz = 0.4 * step_hz;
  c.high_hz = 2.0 * step_hz;
  c.size_db = above - below;
  c.shape = FindingShape::kStep;
  c.equalise = true;
  c.saw(above - below > 4.5 ? 2.5 : 1.2,
        fmt::format("the level rises by {:.1f} dB around {}, where {:.0f} mm of width put the step",
                    above - below, frequency_text(step_hz), 1e3 * s.baffle->width_m()));
  c.next_step = "Take its near field: the step is not in it.";
  return {c};
}

}  // namespace

Cause causes::baffle_step() {
  return {"baffle-step", claims};
}

}  // namespace lalometer
