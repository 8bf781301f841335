#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/enclosure/box_modes.h"
#include "acoustics/enclosure/port.h"
#include "base/constants.h"
#include "base/text.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/bass/flow.h"
#include "diagnosis/view/bass/pipe.h"
#include "diagnosis/view/mains.h"
#include "diagnosis/view/sound/ringing.h"

/// A wall that gives way: sharp, tiny in the impedance, whatever the filling.
namespace lalometer {
namespace {

/// Waves of the box that ring below a loop and stand out far more: those above them stand close.
bool box_rings_below(const CaseView& v, const SeenWiggle& loop) {
  constexpr double kTaller = 4.0;
  return std::any_of(v.wiggles.begin(), v.wiggles.end(), [&](const SeenWiggle& w) {
    return !w.mode.empty() && !w.in_free_air.value_or(false) &&
           w.wiggle.frequency_hz.value < loop.wiggle.frequency_hz.value &&
           w.wiggle.q > 0.5 * loop.wiggle.q &&
           w.wiggle.height_percent > kTaller * loop.wiggle.height_percent;
  });
}

/// The same of what stands out of the sound.
bool box_rings_below(const CaseView& v, const SeenFeature& f) {
  constexpr double kTall_percent = 6.0;
  constexpr double kBare_q = 22.0;
  constexpr double kBelow = 1.08;
  return std::any_of(v.wiggles.begin(), v.wiggles.end(), [&](const SeenWiggle& w) {
    return !w.mode.empty() && !w.in_free_air.value_or(false) && w.wiggle.q > kBare_q &&
           w.wiggle.height_percent > kTall_percent &&
           kBelow * w.wiggle.frequency_hz.value < f.at_hz;
  });
}

/// Where a passive radiator's own resonance leaves a dip on the fall of the bass.
bool by_radiator(const CaseView& v, double at_hz) {
  constexpr double kBy = 0.12;
  if (v.material->subject.radiators.empty()) return false;
  const auto flow = bass_flow(v);
  return flow && flow->own_share &&
         std::abs(std::log(at_hz / (*flow->own_share * flow->tuning_hz))) < kBy;
}

/// A row by a multiple of the mains, where lists show them.
bool hums(const CaseView& v, const SeenFeature& f) {
  constexpr double kRows_q = 12.0;
  constexpr double kBy = 0.015;
  // The lowest are the strongest, and a transform's bins are wide there.
  constexpr double kByLowest = 0.025;
  constexpr double kLowest = 6.0;
  const auto by = [&](double mains_hz) {
    const double order = std::max(std::round(f.at_hz / mains_hz), 1.0);
    return std::abs(f.at_hz / mains_hz / order - 1.0) < (order <= kLowest ? kByLowest : kBy);
  };
  if (f.q < kRows_q || !(by(50.0) || by(60.0))) return false;
  const auto mains = told_mains_hz(mains_in(*v.material));
  return mains && by(*mains);
}

/// By sound: narrow, at all angles, hardly in the impedance and the cone's near field.
std::vector<Claim> of_sound(const CaseView& v) {
  // A pipe beside the cone makes a dip on one side and a peak on the other.
  constexpr double kBesidePipe = 0.16;
  std::vector<Claim> all;
  if (v.material->subject.loading == "open-baffle") return all;
  for (std::size_t i = 0; i < v.features.size(); ++i) {
    const SeenFeature& f = v.features[i];
    if (f.at_hz < std::max(80.0, 1.3 * v.valid.low_hz) || f.at_hz > 1500.0) continue;
    if (!f.sharp && f.q < 9.0) continue;
    Claim c(0.25);
    c.feature = i;
    c.saw(std::clamp(std::pow(f.q / 16.0, 2.0), 0.3, 5.0), fmt::format("its Q is {:.0f}", f.q),
          ToldBy::kAxis);
    if (f.at_hz > 900.0) c.saw(0.4, "that is high for a wall");
    // What is narrow rings long; a row or two of noise are narrow as well, but neither so high nor
    // the same at all angles.
    constexpr double kNoNoise_db = 3.0;
    const bool alike = f.horizontal && *f.horizontal > 0.65;
    const bool doubtful =
        f.q > 15.0 && std::abs(f.feature.height_db) < (alike ? 0.5 * kNoNoise_db : kNoNoise_db);
    saw_ringing(c, f, {.rings = 3.0, .not_so = doubtful ? 0.3 : 0.9, .low_q = 15.0});
    if (std::abs(f.feature.height_db) < 1.0) c.saw(0.5, "it is small", ToldBy::kAxis);
    if (f.horizontal)
      c.saw(*f.horizontal > 0.5 ? 2.5 : 0.3,
            *f.horizontal > 0.5 ? "it is alike at all angles" : "it changes with the angle",
            ToldBy::kSides);
    if (f.wiggle_box)
      c.saw(*f.wiggle_box > 2.0 ? 0.3 : 1.5,
            *f.wiggle_box > 2.0 ? "the impedance has a plain loop there"
                                : "the impedance has little or nothing there",
            ToldBy::kInBox);
    if (f.wiggle_free && *f.wiggle_free > 0.4)
      c.saw(0.1, "the driver has it in free air too", ToldBy::kFreeAir);
    if (f.near)
      c.saw(*f.near < 0.5 ? 2.0 : 0.4,
            *f.near < 0.5 ? "the cone's near field has little of it"
                          : "the cone's near field has it too",
            ToldBy::kNear);
    if (f.in_comb) c.saw(0.1, "it is one of many, evenly spaced in Hz", ToldBy::kAxis);
    if (by_radiator(v, f.at_hz))
      c.saw(0.1, "the radiator's own resonance lies there", ToldBy::kNear);
    if (hums(v, f))
      c.saw(0.05, "it lies at a multiple of the mains, which the take holds", ToldBy::kAxis);
    if (box_rings_below(v, f)) c.saw(0.2, "waves of the box ring below it", ToldBy::kInBox);
    const auto& ports = v.material->subject.ports;
    if (std::any_of(ports.begin(), ports.end(), [&](const CasePort& p) {
          const auto pipe = pipe_hz(v, p);
          return pipe && std::abs(std::log(f.at_hz / *pipe)) < kBesidePipe;
        }))
      c.saw(0.1, "the port's pipe lies there");
    else if (beside_heard_pipe(v, f.at_hz))
      c.saw(0.15, "the port's pipe is heard beside it", ToldBy::kAxis);
    if (at_pipes_overtone(v, f.at_hz)) c.saw(0.2, "the port's pipe has an overtone there");
    // A wave that is heard so well moves the coil.
    constexpr double kNoLoop = 0.3;
    const bool no_wave =
        f.wiggle_box && *f.wiggle_box < kNoLoop && std::abs(f.feature.height_db) > kNoNoise_db;
    if (f.at_mode && !no_wave)
      c.saw(0.3, "a wave of the box lies there");
    else if (!f.at_mode && v.material->subject.inner && alike)
      c.saw(1.8, "no wave of the box lies there", ToldBy::kSides);
    c.next_step = "Press or brace the walls and take again: a wall's resonance moves.";
    all.push_back(std::move(c));
  }
  return all;
}

/// A port opens the box's end: its first waves lie up to a sixth higher than between closed walls
/// (simulated boxes).
bool raised_wave(const CaseSubject& s, double hz) {
  constexpr double kUpTo = 1.17;
  if (!s.inner || s.ports.empty()) return false;
  const auto waves =
      box_modes(*s.inner, hz * 1.01, inner_speed_m_s(s.damping, kSpeedOfSound20_m_s));
  return std::any_of(waves.begin(), waves.end(), [&](const BoxMode& m) {
    return m.order[0] + m.order[1] + m.order[2] == 1 && hz > m.frequency_hz &&
           hz < kUpTo * m.frequency_hz;
  });
}

std::vector<Claim> claims(const CaseView& v) {
  std::vector<Claim> all = of_sound(v);
  for (std::size_t i = 0; i < v.wiggles.size(); ++i) {
    const SeenWiggle& w = v.wiggles[i];
    const double f = w.wiggle.frequency_hz.value;
    if (f < 90.0 || f > 1500.0) continue;
    Claim c(0.15);
    c.wiggle = i;
    if (w.in_free_air)
      c.saw(*w.in_free_air ? 0.05 : 3.0,
            *w.in_free_air ? "it is there without the box" : "the driver alone does not have it",
            ToldBy::kFreeAir);
    if (v.material->subject.inner) {
      if (w.mode.empty() && raised_wave(v.material->subject, f))
        c.saw(0.8, "the port raises a wave of the box to about there", ToldBy::kInBox);
      else
        c.saw(w.mode.empty() ? 3.0 : 0.4,
              w.mode.empty() ? "no wave of the box lies there" : "a wave of the box lies there",
              ToldBy::kInBox);
    }
    c.saw(w.wiggle.q > 18.0 ? 3.0 : graded(w.wiggle.q, 9.0, 0.4, 15.0, 1.0),
          fmt::format("its Q is {:.0f}", w.wiggle.q), ToldBy::kInBox);
    const double hump_hz = v.box ? v.box->fh_hz.value : v.closed ? v.closed->fs_hz.value : 0.0;
    if (f < 2.5 * hump_hz && w.wiggle.height_percent < 3.0)
      c.saw(0.3, "it lies on the flank of the humps", ToldBy::kInBox);
    if (box_rings_below(v, w)) c.saw(0.15, "waves of the box ring below it", ToldBy::kInBox);
    if (w.pipe_off < 0.13)
      c.saw(0.2, "the port's pipe lies there");
    else if (beside_heard_pipe(v, f))
      c.saw(0.3, "the port's pipe is heard beside it", ToldBy::kAxis);
    if (w.damped)
      c.saw(*w.damped > 0.7 ? 3.0 : 0.2,
            *w.damped > 0.7 ? "lining does not change it" : "lining makes it smaller",
            ToldBy::kInBoxes);
    if (w.wiggle.height_percent < 0.8)
      c.saw(w.wiggle.height_percent < 0.4 ? 0.15 : 0.5, "it is tiny", ToldBy::kInBox);
    c.next_step = "Press or brace the walls and take the impedance again.";
    all.push_back(std::move(c));
  }
  return all;
}

}  // namespace

Cause causes::panel_resonance() {
  return {"panel-resonance", claims};
}

}  // namespace lalometer
