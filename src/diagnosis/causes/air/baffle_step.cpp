#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/baffle/rules.h"
#include "base/text.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/drivers.h"
#include "diagnosis/view/sound/step.h"

/// From radiating all round to radiating forward: a shelf around 115 m/s over the width.
namespace lalometer {
namespace {

/// Spread of the share with the step left in, and with it made up.
constexpr double kSpread = 0.3;

std::vector<Claim> claims(const CaseView& v) {
  const auto step = step_share(v);
  if (!step || (v.comb_hz > 0.0 && v.arrivals.empty())) return {};
  const Baffle& baffle = *v.material->subject.baffle;
  // Nearer, what lies apart on the front is heard unlike.
  if (v.axis_take->distance_m < 2.0 * baffle.width_m()) return {};
  const double at_hz = baffle_step_rule_hz(baffle);
  Claim c(0.25);
  c.at_hz = at_hz;
  c.low_hz = 0.4 * at_hz;
  c.high_hz = 2.0 * at_hz;
  c.size_db = step->share * step->foretold_db;
  c.shape = FindingShape::kStep;
  c.equalise = true;
  // The less of it is foretold within the range, the more anything else could make.
  const double spread = std::hypot(kSpread * std::clamp(4.0 / step->foretold_db, 1.0, 2.0),
                                   step->noise_db / step->foretold_db);
  const double z = (std::pow(step->share, 2) - std::pow(std::min(step->share, 1.0) - 1.0, 2)) /
                   (2.0 * spread * spread);
  c.saw(std::clamp(std::exp(z), 0.03, 8.0),
        fmt::format(
            "the level rises by {:.1f} dB from {} to {}, where {:.0f} mm of width make {:.1f}",
            c.size_db, frequency_text(step->low_hz), frequency_text(step->high_hz),
            1e3 * baffle.width_m(), step->foretold_db),
        ToldBy::kAxis);
  if (step->near)
    c.saw(*step->near < 0.4 ? 1.5 : 0.3,
          *step->near < 0.4 ? "the near field has no such step" : "the near field rises as well",
          ToldBy::kNear);
  // What plays beside it takes over two octaves below such steps (common practice, no source).
  constexpr double kSubwoofersTop_hz = 150.0;
  const CaseDriver* lead = v.material->subject.driver(leading_driver(v.material->subject, at_hz));
  if (lead != nullptr && lead->role == "subwoofer" && at_hz > kSubwoofersTop_hz)
    c.saw(0.05, "a subwoofer does not play up to it");
  c.next_step = "Take its near field: the step is not in it.";
  return {c};
}

}  // namespace

Cause causes::baffle_step() {
  return {"baffle-step", claims};
}

}  // namespace lalometer
