#include "diagnosis/swaps.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace lalometer {
namespace {

using Words = std::vector<std::string>;

/// Takes of one thing differ by so much (common practice, no source).
constexpr double kRepeat_db = 1.0;

struct Rule {
  const char* change;
  Words goes;
  Words open;
  double stays_ratio;  ///< odds of a cause that should have gone and did not
};

const std::array<Rule, 8>& rules() {
  // A lining may be too thin, a brace in the wrong place: staying tells less there.
  static const std::array<Rule, 8> all = {
      Rule{"damping",
           {"cabinet-standing-wave"},
           {"panel-resonance", "port-pipe-resonance", "passive-radiator-notch"},
           0.35},
      Rule{"port", {"port-pipe-resonance"}, {"cabinet-standing-wave", "panel-resonance"}, 0.25},
      Rule{"panel", {"panel-resonance"}, {"cabinet-standing-wave", "port-pipe-resonance"}, 0.35},
      Rule{"box",
           {"cabinet-standing-wave", "panel-resonance"},
           {"edge-diffraction", "baffle-step", "port-pipe-resonance", "passive-radiator-notch",
            "source-spacing-lobing", "dipole-cancellation", "cavity-resonance"},
           0.15},
      Rule{"baffle",
           {"edge-diffraction", "baffle-step", "dipole-cancellation", "cavity-resonance"},
           {"panel-resonance", "crossover-phase", "source-spacing-lobing", "directivity-mismatch"},
           0.2},
      Rule{"driver",
           {"driver-breakup", "suspension-resonance"},
           {"crossover-phase", "driver-polarity", "notch-filter", "directivity-mismatch", "beaming",
            "passive-radiator-notch", "source-spacing-lobing"},
           0.12},
      Rule{"crossover",
           {"crossover-phase", "driver-polarity", "notch-filter"},
           {"driver-breakup", "source-spacing-lobing", "directivity-mismatch", "baffle-step"},
           0.15},
      Rule{"place", {"reflection"}, {}, 0.15}};
  return all;
}

const Rule* rule_of(const std::string& change) {
  const auto found = std::find_if(rules().begin(), rules().end(),
                                  [&](const Rule& r) { return r.change == change; });
  return found == rules().end() ? nullptr : &*found;
}

bool has(const Words& words, const std::string& word) {
  return std::find(words.begin(), words.end(), word) != words.end();
}

/// What two boxes of one drawing have in common: all that geometry makes.
bool of_the_drawing(const std::string& cause) {
  static const Words all = {"edge-diffraction",
                            "baffle-step",
                            "source-spacing-lobing",
                            "directivity-mismatch",
                            "beaming",
                            "dipole-cancellation",
                            "cavity-resonance",
                            "cabinet-standing-wave",
                            "port-pipe-resonance"};
  return has(all, cause);
}

void weigh_change(const std::string& cause, const SeenSwap& swap, double height_db,
                  const char* what, std::int64_t axis, Claim& claim) {
  const double went_db = (1.0 - swap.share) * std::abs(height_db);
  const bool gone = swap.share < 0.4 && went_db > kRepeat_db;
  const bool stays = swap.share > 0.65 && std::abs(went_db) < kRepeat_db;
  const SwapEffect effect = effect_of(swap.change, cause);
  if ((!gone && !stays) || effect == SwapEffect::kOpen) return;
  const Rule& rule = *rule_of(swap.change);
  const double ratio =
      effect == SwapEffect::kGoes ? (gone ? 7.0 : rule.stays_ratio) : (gone ? 0.12 : 1.3);
  claim.saw(ratio,
            gone ? fmt::format("with the {} changed (“{}”) the {} is gone: {:.0f} % is left",
                               swap.change, swap.variant, what, std::max(100.0 * swap.share, 0.0))
                 : fmt::format("with the {} changed (“{}”) the {} stays, within {:.1f} dB",
                               swap.change, swap.variant, what, std::max(std::abs(went_db), 0.05)),
            std::vector{axis, swap.take});
}

}  // namespace

SwapEffect effect_of(const std::string& change, const std::string& cause) {
  const Rule* rule = rule_of(change);
  if (rule == nullptr || has(rule->open, cause)) return SwapEffect::kOpen;
  return has(rule->goes, cause) ? SwapEffect::kGoes : SwapEffect::kStays;
}

void weigh_swaps(const CaseView& view, const std::string& cause, Claim& claim) {
  if (!claim.feature) return;
  const SeenFeature& f = view.features[*claim.feature];
  const char* what = f.feature.height_db < 0.0 ? "dip" : "peak";
  const std::int64_t axis = view.axis_take == nullptr ? 0 : view.axis_take->id;
  for (const SeenSwap& swap : f.swaps)
    weigh_change(cause, swap, f.feature.height_db, what, axis, claim);
  if (!f.others) return;
  std::vector<std::int64_t> takes = f.other_takes;
  takes.insert(takes.begin(), axis);
  const double went_db = (1.0 - *f.others) * std::abs(f.feature.height_db);
  if (*f.others > 0.65 && std::abs(went_db) < kRepeat_db)
    claim.saw(1.1, fmt::format("the other sample has the {} too: it is no fault of one unit", what),
              takes);
  else if (*f.others < 0.3 && went_db > kRepeat_db && of_the_drawing(cause))
    claim.saw(0.25, fmt::format("the other sample, of the same drawing, has no such {}", what),
              takes);
}

}  // namespace lalometer
