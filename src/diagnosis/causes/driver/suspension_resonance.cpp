#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/enclosure/port.h"
#include "base/constants.h"
#include "base/text.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/bass/pipe.h"
#include "diagnosis/view/sound/ringing.h"

/// The surround moves by itself: in free air and in any box alike.
namespace lalometer {
namespace {

/// Surrounds move by themselves between 0.5 and 1.5 kHz, common practice.
void saw_height(Claim& c, double f) {
  const double off = std::max(std::pow(f / 1500.0, 5.0), std::pow(500.0 / f, 3.0));
  if (off > 1.0)
    c.saw(std::max(1.0 / off, 0.1),
          fmt::format("surrounds seldom move by themselves at {}", frequency_text(f)));
}

bool at_a_pipe(const CaseView& v, double f) {
  constexpr double kNear = 0.16;
  const auto& ports = v.material->subject.ports;
  return std::any_of(ports.begin(), ports.end(), [&](const CasePort& port) {
    const auto pipe = pipe_hz(v, port);
    return pipe && std::abs(std::log(f / *pipe)) < kNear;
  });
}

/// By loops of the impedance.
std::vector<Claim> of_loops(const CaseView& v) {
  std::vector<Claim> all;
  for (std::size_t i = 0; i < v.wiggles.size(); ++i) {
    const SeenWiggle& w = v.wiggles[i];
    const double f = w.wiggle.frequency_hz.value;
    if (f < 250.0 || f > 2200.0) continue;
    Claim c(0.25);
    c.wiggle = i;
    if (w.in_free_air)
      c.saw(*w.in_free_air ? 14.0 : 0.05,
            *w.in_free_air ? "the driver has it in free air too"
                           : "the driver alone does not have it",
            ToldBy::kFreeAir);
    if (w.damped && *w.damped > 0.7) c.saw(1.5, "lining does not change it", ToldBy::kInBoxes);
    const double ka = v.loop_ka(w);
    c.saw(std::clamp(std::pow(1.7 / ka, 6.0), 0.05, 1.5),
          fmt::format("the cone measures {:.1f} wavelengths round there", ka));
    saw_height(c, f);
    if (w.wiggle.height_percent < 1.5) c.saw(0.4, "it is small", ToldBy::kInBox);
    if (!w.in_free_air)
      c.next_step =
          "Take the driver's impedance in free air: if the loop is there, it is the surround.";
    all.push_back(std::move(c));
  }
  return all;
}

/// By what stands out of the sound.
std::vector<Claim> of_sound(const CaseView& v) {
  std::vector<Claim> all;
  for (std::size_t i = 0; i < v.features.size(); ++i) {
    const SeenFeature& f = v.features[i];
    // Where two drivers meet the smaller leads; what shows in a coil in free air is of that one.
    const double resonates_hz = f.free_loop_hz.value_or(f.at_hz);
    double ka = v.ka(f.leads, resonates_hz);
    if (f.wiggle_free.value_or(0.0) > 0.4 && v.free_impedance != nullptr &&
        !v.free_impedance->driver.empty())
      ka = std::max(ka, v.ka(v.free_impedance->driver, resonates_hz));
    if (f.at_hz < 250.0 || f.at_hz > 2500.0 || ka > kSurround_ka) continue;
    Claim c(0.15);
    c.feature = i;
    c.saw(std::clamp(std::pow(1.5 / ka, 4.0), 0.3, 1.0),
          ka < 1.5 ? "the cone moves as one there; its surround may not"
                   : fmt::format("the cone measures {:.1f} wavelengths round there", ka));
    saw_height(c, f.at_hz);
    if (f.wiggle_free)
      // What moves the sound by a decibel moves the coil.
      c.saw(*f.wiggle_free > 0.4 ? 15.0 : 0.08,
            *f.wiggle_free > 0.4 ? "the driver's impedance has it in free air"
                                 : "nothing in the driver's free-air impedance",
            ToldBy::kFreeAir);
    else if (f.wiggle_box && *f.wiggle_box > 0.4 && !f.at_mode)
      // Whose inner sizes nobody told, its waves may lie anywhere.
      c.saw(at_a_pipe(v, f.at_hz)       ? 1.5
            : v.material->subject.inner ? 5.0
                                        : 1.2,
            v.material->subject.inner
                ? "the impedance has a loop there, where no wave of the box lies"
                : "the impedance has a loop there",
            ToldBy::kInBox);
    else if (f.wiggle_box && *f.wiggle_box < 0.3)
      c.saw(0.4, "the impedance in the box has no loop there", ToldBy::kInBox);
    if (f.by_loop_db && *f.wiggle_free > 0.4)
      c.saw(f.moves_as_one(),
            fmt::format("the loop in free air foretells {:.1f} dB of a cone that moves as one, the "
                        "response has {:.1f}",
                        *f.by_loop_db, std::abs(f.feature.height_db)),
            ToldBy::kFreeAir);
    if (f.wiggle_free.value_or(0.0) < 0.4 && beside_heard_pipe(v, f.at_hz))
      c.saw(0.2, "the port's pipe is heard beside it", ToldBy::kAxis);
    if (f.horizontal && *f.horizontal > 0.65)
      c.saw(2.0, "it is alike at all angles", ToldBy::kSides);
    if (f.horizontal && *f.horizontal < 0.3) c.saw(0.3, "it is gone to the sides", ToldBy::kSides);
    if (f.near)
      c.saw(*f.near > 0.5 ? 2.5 : 0.3,
            *f.near > 0.5 ? "the near field has it too" : "the near field does not have it",
            ToldBy::kNear);
    if (f.from_edges && *f.from_edges > 0.45)
      c.saw(0.3, "the edges foretell it");
    else if (f.from_edges && *f.from_edges < 0.2)
      c.saw(1.6, "the edges foretell nothing there");
    // What the driver has in free air is neither the box's nor the port's.
    const bool own = f.wiggle_free.value_or(0.0) > 0.4;
    if (v.material->subject.inner && f.horizontal && *f.horizontal > 0.65 && !(own && f.at_mode))
      c.saw(f.at_mode ? 0.5 : 1.5,
            f.at_mode ? "a wave of the box lies there" : "no wave of the box lies there",
            ToldBy::kSides);
    if (!own && at_a_pipe(v, f.at_hz)) c.saw(0.4, "the port's pipe lies there");
    if (!saw_ringing(c, f, {.rings = 3.0, .not_so = 0.5, .low_q = 3.0, .high_q = 20.0}) &&
        f.q > 4.0 && f.q < 20.0)
      c.saw(1.4, fmt::format("its Q is {:.0f}", f.q), ToldBy::kAxis);
    constexpr double kBroad_q = 2.6;  // of the dip beside a loop of a Q of 3
    if (!f.free_loop_hz && !own && f.q < kBroad_q)
      c.saw(0.3, fmt::format("it is broad for a surround (Q {:.0f})", f.q), ToldBy::kAxis);
    if (f.in_comb) c.saw(0.1, "it is one of many, evenly spaced in Hz", ToldBy::kAxis);
    if (!f.wiggle_free)
      c.next_step = "Take the driver's impedance in free air.";
    else if (!f.near)
      c.next_step = "Take its near field: a surround shows there.";
    all.push_back(std::move(c));
  }
  return all;
}

std::vector<Claim> claims(const CaseView& v) {
  std::vector<Claim> all = of_loops(v);
  for (Claim& c : of_sound(v)) all.push_back(std::move(c));
  return all;
}

}  // namespace

Cause causes::suspension_resonance() {
  return {"suspension-resonance", claims};
}

}  // namespace lalometer
