#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/sound/ringing.h"

/// The air of the box rings between two walls.
namespace lalometer {
namespace {

/// By what stands out of the sound where a wave of the box lies and no loop tells more.
std::vector<Claim> of_sound(const CaseView& v) {
  std::vector<Claim> all;
  for (std::size_t i = 0; i < v.features.size(); ++i) {
    const SeenFeature& f = v.features[i];
    const bool looped = std::any_of(v.wiggles.begin(), v.wiggles.end(), [&](const SeenWiggle& w) {
      return std::abs(std::log(w.wiggle.frequency_hz.value / f.at_hz)) < 0.12;
    });
    if (!f.at_mode || looped || f.at_hz < 100.0 || f.at_hz > 1500.0) continue;
    Claim c(0.15);
    c.feature = i;
    c.saw(1.5, "a wave of the box lies there");
    if (f.wiggle_box) c.saw(0.2, "the impedance in the box has no loop there", ToldBy::kInBox);
    // A lining leaves a wave a Q of some 8.
    constexpr double kBroad_q = 5.5;
    if (!f.wiggle_box && f.q < kBroad_q)
      c.saw(0.25, fmt::format("it is broad for a wave (Q {:.0f})", f.q), ToldBy::kAxis);
    if (f.near)
      c.saw(*f.near > 0.5 ? 3.0 : 0.15,
            *f.near > 0.5 ? "the cone's near field has it too" : "the near field does not have it",
            ToldBy::kNear);
    if (f.wiggle_free && *f.wiggle_free > 0.4)
      c.saw(0.1, "the driver has it in free air too", ToldBy::kFreeAir);
    if (f.horizontal && *f.horizontal > 0.65)
      c.saw(2.5, "it is alike at all angles", ToldBy::kSides);
    if (f.horizontal && *f.horizontal < 0.3) c.saw(0.15, "it is gone to the sides", ToldBy::kSides);
    if (f.from_edges && *f.from_edges > 0.45) c.saw(0.2, "the edges foretell it");
    if (f.in_comb) c.saw(0.1, "it is one of many, evenly spaced in Hz", ToldBy::kAxis);
    saw_ringing(c, f, {.rings = 3.0, .not_so = 0.4, .low_q = 8.0, .high_q = 80.0});
    if (std::abs(f.feature.height_db) < 1.2) c.saw(0.4, "it is small", ToldBy::kAxis);
    c.next_step = v.box_impedance == nullptr
                      ? "Take the impedance in the box: a wave of the air makes a loop there."
                      : "Line the box or fill it and take again: a wave of the air shrinks.";
    all.push_back(std::move(c));
  }
  return all;
}

/// Of a box whose inner sizes nobody told: as tall and as sharp as waves of bare boxes are.
bool may_be_wave(const CaseView& v, const SeenWiggle& w) {
  constexpr double kTall_percent = 4.0;
  constexpr double kSharp_q = 10.0;
  const std::string& loading = v.material->subject.loading;
  const bool box = loading == "sealed" || loading == "vented" || loading == "passive-radiator";
  return box && w.wiggle.height_percent > kTall_percent && w.wiggle.q > kSharp_q &&
         w.wiggle.frequency_hz.value > 120.0 && w.wiggle.frequency_hz.value < 1500.0;
}

std::vector<Claim> claims(const CaseView& v) {
  std::vector<Claim> all = of_sound(v);
  for (std::size_t i = 0; i < v.wiggles.size(); ++i) {
    const SeenWiggle& w = v.wiggles[i];
    const bool told = v.material->subject.inner.has_value();
    if (w.mode.empty() && (told || !may_be_wave(v, w))) continue;
    Claim c(0.4);
    c.wiggle = i;
    if (w.mode.empty())
      c.saw(0.6, "the inner sizes are not told: a wave of the box may lie there", ToldBy::kInBox);
    else
      c.saw(std::exp(-0.5 * std::pow(w.mode_off / (told ? 0.025 : 0.045), 2)) * (w.mode == "higher"
                                                                                     ? 1.5
                                                                                 : told ? 4.0
                                                                                        : 2.0),
            fmt::format("the box's {} wave{} lies {:.1f} % from it", w.mode,
                        told                 ? ""
                        : w.mode == "higher" ? ", by those found below it,"
                                             : ", by its outside less 18 mm of wall,",
                        100.0 * w.mode_off),
            ToldBy::kInBox);
    if (w.in_free_air)
      c.saw(*w.in_free_air ? 0.05 : 3.0,
            *w.in_free_air ? "it is there without the box" : "the driver alone does not have it",
            ToldBy::kFreeAir);
    if (w.damped)
      c.saw(*w.damped < 0.6 ? 4.0 : 0.4,
            *w.damped < 0.6 ? "lining makes it smaller" : "lining does not change it",
            ToldBy::kInBoxes);
    // A lined box has a little of it always.
    const double height = w.wiggle.height_percent;
    c.saw(std::clamp(std::pow(height / 4.5, 2.0), 0.06, 3.0),
          fmt::format("the loop is {:.1f} % high", height), ToldBy::kInBox);
    // A lining leaves a wave a Q of some 8 to 12, bare walls 25 and more (common practice).
    const double q = w.wiggle.q;
    c.saw(std::clamp(std::pow(q / 17.0, 3.0), 0.15, 5.0),
          fmt::format("it {} (Q {:.0f})", q > 17.0 ? "rings long" : "is damped", q),
          ToldBy::kInBox);
    c.next_step = w.damped ? "Keep the lining, or line the two walls that face each other thicker."
                           : "Line the box or fill it and take the impedance again: a wave of the "
                             "air shrinks.";
    all.push_back(std::move(c));
  }
  return all;
}

}  // namespace

Cause causes::cabinet_standing_wave() {
  return {"cabinet-standing-wave", claims};
}

}  // namespace lalometer
