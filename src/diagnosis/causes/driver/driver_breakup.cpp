#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/sound/ringing.h"

/// The cone bends: at all angles alike, in any box, with a blip in free air.
namespace lalometer {
namespace {

/// The cone that may bend: of the driver that leads, or of the lower one where two meet and
/// something says that it is no matter of their sum: the coil feels it, or it is too sharp and too
/// much alike at all angles.
std::string cone_of(const CaseView& v, const SeenFeature& f) {
  constexpr double kMeet_octaves = 0.5;
  for (const CaseCrossover& x : v.material->subject.crossovers) {
    if (f.leads != x.high || f.alone.value_or(0.0) > 0.6 ||
        std::abs(std::log2(f.at_hz / x.frequency_hz)) > kMeet_octaves)
      continue;
    const bool felt = f.wiggle_free.value_or(0.0) > 0.4 && v.free_impedance != nullptr &&
                      (v.free_impedance->driver.empty() || v.free_impedance->driver == x.low);
    const bool sharp = f.q > 6.0 && f.horizontal.value_or(0.0) > 0.65;
    if (felt || sharp) return x.low;
  }
  return f.leads;
}

/// Of a driver that is heard from well off its own axis, since the microphone stands near, dips are
/// its size's.
void saw_from_aside(Claim& c, const CaseView& v, const std::string& cone) {
  constexpr double kAside = 0.22;  // 12 degrees
  const CaseDriver* d = v.material->subject.driver(cone);
  if (d == nullptr || v.axis_take == nullptr || !(v.axis_take->distance_m > 0.0)) return;
  const double aside = std::hypot(d->x_m, d->y_m) / v.axis_take->distance_m;
  if (aside > kAside)
    c.saw(0.15,
          fmt::format("from {:.2f} m the microphone stands {:.0f}° off its axis",
                      v.axis_take->distance_m, std::atan(aside) * 180.0 / kPi),
          ToldBy::kAxis);
}

/// How large a cone is for its waves.
void saw_size(Claim& c, const std::string& cone, double ka) {
  c.saw(std::clamp(std::pow(ka / 1.8, 3.0), 0.4, 2.0),
        fmt::format("{} measures {:.1f} wavelengths round: it may bend there",
                    cone.empty() ? "a cone of the usual size" : cone, ka));
  // Cones bend from 1.5 to 5 (common practice, no source); higher up little of one is heard.
  constexpr double kBend_ka = 5.0;
  constexpr double kFarUp_ka = 7.0;
  if (ka > kBend_ka)
    c.saw(graded(ka, kBend_ka, 1.0, kFarUp_ka, 0.2), "that is far above where cones bend");
}

/// By what stands out of the sound.
std::vector<Claim> of_sound(const CaseView& v) {
  std::vector<Claim> all;
  for (std::size_t i = 0; i < v.features.size(); ++i) {
    const SeenFeature& f = v.features[i];
    // Below, a cone moves as one; what moves then is the surround.
    const std::string cone = cone_of(v, f);
    const double ka = v.ka(cone, std::min(f.at_hz, f.free_loop_hz.value_or(f.at_hz)));
    if (f.at_hz < 700.0 || ka < (f.at_hz > 1500.0 ? 1.3 : 1.5)) continue;
    Claim c(0.1);
    c.feature = i;
    saw_size(c, cone, ka);
    if (f.horizontal) {
      if (*f.horizontal > 0.65)
        c.saw(3.5, "it is alike at all angles", ToldBy::kSides);
      else if (*f.horizontal < 0.25)
        // Where two drivers meet it sounds as their sum does, which is another at each angle.
        c.saw(cone == f.leads ? 0.15 : 0.6, "it is gone to the sides", ToldBy::kSides);
    }
    if (f.vertical && *f.vertical > 0.65) c.saw(1.5, "up and down as well", ToldBy::kUpDown);
    // No edge moves a coil.
    if (f.from_edges && *f.from_edges > 0.45)
      c.saw(f.wiggle_free.value_or(0.0) > 0.4 ? 0.6 : 0.25, "the edges foretell it");
    else if (f.from_edges && *f.from_edges < 0.2 && f.crossover_octaves > 0.2)
      c.saw(2.0, "the edges foretell nothing there");
    if (f.large_baffle)
      c.saw(
          *f.large_baffle > 0.6 ? 4.0 : 0.1,
          *f.large_baffle > 0.6 ? "the large baffle has it too" : "it is gone in the large baffle",
          ToldBy::kLargeBaffle);
    saw_from_aside(c, v, cone);
    if (f.alone)
      c.saw(*f.alone > 0.6 ? 3.0 : graded(*f.alone, 0.2, 0.1, 0.6, 1.0),
            *f.alone > 0.6 ? f.leads + " alone has it" : f.leads + " alone does not have it",
            ToldBy::kAlone);
    if (f.wiggle_free)
      c.saw(*f.wiggle_free > 0.3 ? 6.0 : 0.3,
            *f.wiggle_free > 0.3 ? "the driver's impedance has it in free air"
                                 : "nothing in the driver's free-air impedance",
            ToldBy::kFreeAir);
    // Bends have a Q of 5 to 20, common practice.
    constexpr double kLeast_q = 4.5;
    if (f.free_loop_hz && f.free_loop_q < kLeast_q)
      c.saw(0.4, fmt::format("that loop is damped (Q {:.0f})", f.free_loop_q), ToldBy::kFreeAir);
    constexpr double kBroad_q = 3.3;  // of the dip that such a bend makes
    if (!f.free_loop_hz && f.rings_q && *f.rings_q <= 0.0 && f.q < kBroad_q)
      c.saw(graded(f.q, 1.8, 0.2, kBroad_q, 0.6),
            fmt::format("it is broad for a bend (Q {:.0f})", f.q), ToldBy::kAxis);
    // Farther up no surround moves by itself.
    if (ka < kSurround_ka && f.by_loop_db && *f.wiggle_free > 0.4)
      c.saw(1.0 / f.moves_as_one(),
            fmt::format("the loop in free air foretells {:.1f} dB of a cone that moves as one, the "
                        "response has {:.1f}",
                        *f.by_loop_db, std::abs(f.feature.height_db)),
            ToldBy::kFreeAir);
    if (!f.wiggle_free && f.wiggle_box && *f.wiggle_box > 0.4)
      c.saw(3.0, "the impedance has a loop there", ToldBy::kFreeAir);
    if (f.in_comb)
      c.saw(0.1, "it is one of many, evenly spaced in Hz", ToldBy::kAxis);
    else if (v.comb_hz > 0.0 && v.arrivals.empty())
      c.saw(0.15, "a comb of dips and peaks lies over all", ToldBy::kAxis);
    if (!saw_ringing(c, f, {.rings = 3.5, .not_so = 0.5, .low_q = kLeast_q, .high_q = 30.0}) &&
        f.q > 3.5)
      c.saw(f.q > 5.0 ? 2.5 : 1.6, fmt::format("it is sharp (Q {:.0f})", f.q), ToldBy::kAxis);
    if (std::abs(f.feature.height_db) > 3.5) c.saw(1.5, "it is large", ToldBy::kAxis);
    if (std::abs(f.feature.height_db) < 1.0) c.saw(0.5, "it is small", ToldBy::kAxis);
    // Only what was seen to be alike at all angles.
    c.equalise = f.horizontal && *f.horizontal > 0.65;
    if (!f.horizontal)
      c.next_step = "Turn 30 degrees and take again: a bending cone stays.";
    else if (!f.wiggle_free)
      c.next_step = "Take the driver's impedance in free air: a bending cone shows there.";
    all.push_back(std::move(c));
  }
  return all;
}

/// By that, and by loops of the impedance.
std::vector<Claim> claims(const CaseView& v) {
  std::vector<Claim> all = of_sound(v);
  for (std::size_t i = 0; i < v.wiggles.size(); ++i) {
    const SeenWiggle& w = v.wiggles[i];
    const double at_hz = w.wiggle.frequency_hz.value;
    if (at_hz < 900.0) continue;
    Claim c(0.16);
    c.wiggle = i;
    const double ka = v.loop_ka(w);
    c.saw(std::clamp(std::pow(ka / 1.7, 6.0), 0.05, 1.5),
          fmt::format("the cone measures {:.1f} wavelengths round there", ka));
    if (w.in_free_air)
      c.saw(*w.in_free_air ? 14.0 : 0.1,
            *w.in_free_air ? "the driver has it in free air too"
                           : "the driver alone does not have it",
            ToldBy::kFreeAir);
    c.saw(w.wiggle.height_percent > 2.0 ? 1.5 : 0.4,
          fmt::format("the loop is {:.1f} % high", w.wiggle.height_percent), ToldBy::kInBox);
    if (v.free_impedance == nullptr) c.next_step = "Take the driver's impedance in free air.";
    all.push_back(std::move(c));
  }
  return all;
}

}  // namespace

Cause causes::driver_breakup() {
  return {"driver-breakup", claims};
}

}  // namespace lalometer
