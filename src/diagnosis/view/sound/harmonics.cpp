#include "diagnosis/view/sound/harmonics.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <string_view>

namespace lalometer {
namespace {

constexpr double kAlike = 0.55;
constexpr double kMissing = 0.2;

enum class Place { kBefore, kBehind, kOpen };

/// Where a cause sits, seen from the motor.
Place place_of(std::string_view cause) {
  constexpr std::array<std::string_view, 3> kBefore = {"notch-filter", "crossover-phase",
                                                       "driver-polarity"};
  constexpr std::array<std::string_view, 8> kBehind = {
      "driver-breakup",   "suspension-resonance", "cabinet-standing-wave", "panel-resonance",
      "edge-diffraction", "reflection",           "dipole-cancellation",   "cavity-resonance"};
  if (std::find(kBefore.begin(), kBefore.end(), cause) != kBefore.end()) return Place::kBefore;
  return std::find(kBehind.begin(), kBehind.end(), cause) != kBehind.end() ? Place::kBehind
                                                                           : Place::kOpen;
}

}  // namespace

std::optional<double> share_in_harmonics(const CaseTake& take, const CurveFeature& feature,
                                         const FrequencyAxis& axis,
                                         const std::vector<double>& own) {
  double sum = 0.0;
  double count = 0.0;
  for (const Response& heard : take.harmonics) {
    // Half an octave to both sides, so that it stands out of something.
    const double low = axis[feature.from] / std::sqrt(2.0);
    const double high = axis[feature.to - 1] * std::sqrt(2.0);
    if (!heard.valid().contains(low) || !heard.valid().contains(high)) continue;
    const auto scatter = scatter_db(heard, low, high);
    if (!scatter || *scatter > std::abs(feature.height_db) / 3.0) continue;
    sum += shared_by(feature, own, {outstanding(axis, with_ends(level_on(heard, axis)))});
    count += 1.0;
  }
  return count > 0.0 ? std::optional(sum / count) : std::nullopt;
}

void weigh_harmonics(const CaseView& view, const std::string& cause, Claim& claim) {
  if (!claim.feature) return;
  const SeenFeature& f = view.features[*claim.feature];
  const Place place = place_of(cause);
  if (!f.in_harmonics || place == Place::kOpen) return;
  const bool alike = *f.in_harmonics > kAlike;
  if (!alike && *f.in_harmonics > kMissing) return;
  const char* what = f.feature.height_db < 0.0 ? "dip" : "peak";
  const double ratio = place == Place::kBehind ? (alike ? 1.6 : 0.45) : (alike ? 0.3 : 2.0);
  claim.saw(ratio,
            alike ? fmt::format("the harmonics heard there, made in the motor, have the {} "
                                "too ({:.0f} %): it lies behind the motor",
                                what, 100.0 * *f.in_harmonics)
                  : fmt::format("the harmonics heard there, made in the motor, have no such "
                                "{} ({:.0f} %): it lies before the motor, or in a sum",
                                what, 100.0 * std::max(*f.in_harmonics, 0.0)),
            ToldBy::kAxis);
}

}  // namespace lalometer
