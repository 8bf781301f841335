#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/impedance/box_signature.h"
#include "base/text.h"
#include "diagnosis/registry.h"

/// Two of a kind that differ where repeats do not.
namespace lalometer {
namespace {

std::vector<Claim> claims(const CaseView& v) {
  std::vector<Claim> all;
  // Impedances of the same state, of other samples.
  double off = 0.0;
  std::string which;
  std::string kind;
  for (const CaseTake& a : v.material->takes)
    for (const CaseTake& b : v.material->takes) {
      if (&b <= &a || a.kind != b.kind || a.sample == b.sample || a.condition != b.condition ||
          a.variant != b.variant || a.driver != b.driver || a.source != b.source)
        continue;
      if (a.kind == CaseTake::Kind::kImpedance) {
        const auto one = impedance_peaks(a.curve, 0.3);
        const auto two = impedance_peaks(b.curve, 0.3);
        if (one.empty() || two.empty()) continue;
        const double percent =
            100.0 * std::abs(std::log(one.front().frequency_hz / two.front().frequency_hz));
        if (percent / 5.0 > off) {
          off = percent / 5.0;
          which = a.sample + " and " + b.sample;
          kind = fmt::format("their resonances are {:.0f} % apart", percent);
        }
      } else if (a.horizontal_deg == b.horizontal_deg && a.vertical_deg == b.vertical_deg) {
        const auto& one = v.levels.at(&a);
        const auto& two = v.levels.at(&b);
        double sum = 0.0;
        double count = 0.0;
        for (std::size_t i = 0; i < one.size(); ++i) {
          const double d = one[i] - two[i];
          if (!std::isfinite(d) || (*v.axis)[i] < 200.0 || (*v.axis)[i] > 10000.0) continue;
          sum += d * d;
          count += 1.0;
        }
        const double rms = count > 0.0 ? std::sqrt(sum / count) : 0.0;
        if (rms / 0.8 > off) {
          off = rms / 0.8;
          which = a.sample + " and " + b.sample;
          kind = fmt::format("their levels differ by {:.1f} dB rms", rms);
        }
      }
    }
  if (off < 0.7) return all;
  Claim c(0.3);
  c.saw(off > 1.5 ? 12.0 : off > 1.0 ? 3.0 : 0.8, fmt::format("{}: {}", which, kind));
  c.next_step = "Take both again, put back between: what repeats do not explain is the sample.";
  all.push_back(std::move(c));
  return all;
}

}  // namespace

Cause causes::sample_variation() {
  return {"sample-variation", claims};
}

}  // namespace lalometer
