#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/impedance/box_signature.h"
#include "base/text.h"
#include "diagnosis/registry.h"

/// A trap in the network: the same dip everywhere, and a peak of the impedance.
namespace lalometer {
namespace {

std::vector<Claim> claims(const CaseView& v) {
  if (v.box_impedance == nullptr) return {};
  const auto peaks = impedance_peaks(v.box_impedance->curve, 0.08);
  std::vector<Claim> all;
  for (std::size_t i = 0; i < v.features.size(); ++i) {
    const SeenFeature& f = v.features[i];
    if (f.feature.height_db > 0.0 || f.at_hz < 150.0) continue;
    Claim c(0.08);
    c.feature = i;
    const ImpedancePeak* there = nullptr;
    for (const ImpedancePeak& p : peaks)
      if (std::abs(std::log(p.frequency_hz / f.at_hz)) < 0.12) there = &p;
    if (there == nullptr) {
      c.saw(0.1, "the impedance has no peak there");
    } else {
      c.saw(f.crossover_octaves < 0.9 ? 1.5 : 20.0,
            fmt::format("the impedance peaks at {} ({:.1f} ohm)",
                        frequency_text(there->frequency_hz), there->magnitude_ohm));
    }
    if (f.horizontal)
      c.saw(*f.horizontal > 0.7 ? 2.0 : 0.2,
            *f.horizontal > 0.7 ? "it is alike at all angles" : "it changes with the angle");
    if (f.wiggle_free && *f.wiggle_free < 0.4)
      c.saw(1.5, "the driver in free air does not have it");
    c.next_step = "Look for a trap in the network, or bridge it and take again.";
    all.push_back(std::move(c));
  }
  return all;
}

}  // namespace

Cause causes::notch_filter() {
  return {"notch-filter", claims};
}

}  // namespace lalometer
