#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/bass/pipe.h"

/// The port sounds as a pipe open at both ends.
namespace lalometer {
namespace {

/// The cone's near field at a frequency, dB with 20 log of its radius.
std::optional<double> cone_near_db(const CaseView& v, double f) {
  for (const CaseTake& t : v.material->takes) {
    if (t.kind != CaseTake::Kind::kNearField || t.variant != v.variant) continue;
    const CaseDriver* d = v.material->subject.driver(t.source);
    if (d == nullptr || !(d->radius_m > 0.0)) continue;
    const double level = v.levels.at(&t)[v.axis->bracket(f)];
    if (std::isfinite(level)) return level + 20.0 * std::log10(d->radius_m);
  }
  return std::nullopt;
}

/// What a port's near field shows about its pipe's resonance.
struct PortNear {
  double peak_db = 0.0;  ///< over what lies beside it
  double peak_hz = 0.0;
  double under_top_db = 0.0;            ///< under the port's own top in the bass
  std::optional<double> share_db = {};  ///< re the cone, by near pressure and radius, at one place
};

std::optional<PortNear> near_of(const CaseView& v, const CasePort& p, double pipe) {
  for (const CaseTake& t : v.material->takes) {
    if (t.kind != CaseTake::Kind::kNearField || t.source != p.id || t.variant != v.variant)
      continue;
    const std::vector<double>& level = v.levels.at(&t);
    double top = -400.0;
    double there = -400.0;
    double around = 0.0;
    double count = 0.0;
    PortNear seen;
    for (std::size_t i = 0; i < v.axis->size(); ++i) {
      if (!std::isfinite(level[i])) continue;
      const double f = (*v.axis)[i];
      if (f < 150.0) top = std::max(top, level[i]);
      const double off = std::abs(std::log(f / pipe));
      if (off < 0.1 && level[i] > there) {
        there = level[i];
        seen.peak_hz = f;
      }
      if (off > 0.2 && off < 0.4) {
        around += level[i];
        count += 1.0;
      }
    }
    if (count < 1.0 || there < -300.0) continue;
    seen.peak_db = there - around / count;
    seen.under_top_db = top - there;
    if (const auto cone = cone_near_db(v, pipe); cone && p.radius_m > 0.0)
      seen.share_db = there + 20.0 * std::log10(p.radius_m) + 10.0 * std::log10(p.count) - *cone;
    return seen;
  }
  return std::nullopt;
}

void saw_near(Claim& c, const CasePort& p, const PortNear& near, const SeenFeature* there) {
  c.size_db = near.peak_db;
  if (!near.share_db) {
    c.saw(near.under_top_db < 4.0 ? 2.0 : 0.3,
          fmt::format("that is {:.0f} dB under the port's own top", near.under_top_db),
          ToldBy::kNear);
    return;
  }
  // What the sum shows tells how much of the port comes round: it needs no estimate then.
  constexpr double kStandsOut_db = 10.0;
  constexpr double kSpread_db = 3.0;
  if (there != nullptr && near.peak_db > kStandsOut_db &&
      std::abs(std::log(near.peak_hz / there->at_hz)) < 0.035) {
    const double by = std::abs(there->feature.height_db);
    // A peak of the sum needs 10^(dB/20) - 1 of the cone's sound, a dip only 1 - 10^(-dB/20).
    const double moved = std::abs(std::pow(10.0, there->feature.height_db / 20.0) - 1.0);
    const double needs = 20.0 * std::log10(moved + 1e-3);
    if (*near.share_db > needs - kSpread_db) {
      // Two decibels are what long pipes of sound boxes do, too.
      c.saw(std::clamp(std::exp(1.8 * (by - 2.0)), 0.2, 12.0),
            fmt::format("the port's near field peaks right there by {:.0f} dB, {:+.0f} dB re the "
                        "cone: enough for what the sum shows",
                        near.peak_db, *near.share_db),
            ToldBy::kNear);
      return;
    }
  }
  // A wall at the back takes some of it.
  const double share = *near.share_db - (p.front ? 0.0 : 9.0);
  c.saw(share > -4.0   ? 8.0
        : share > -8.0 ? 0.9
                       : 0.1,
        fmt::format("there the port gives {:+.0f} dB re the cone{}", share,
                    p.front ? "" : ", round the box"),
        ToldBy::kNear);
}

/// The largest feature at the pipe's resonance: a wall beside the inner end lowers it (end
/// corrections of 1.2 to 2 radii in all, common practice).
std::optional<std::size_t> feature_at(const CaseView& v, double pipe) {
  constexpr double kBelow = 0.115;
  constexpr double kAbove = 0.08;
  std::optional<std::size_t> best;
  const auto size = [&](std::size_t i) { return std::abs(v.features[i].feature.height_db); };
  for (std::size_t i = 0; i < v.features.size(); ++i)
    if (const double off = std::log(v.features[i].at_hz / pipe);
        off > -kBelow && off < kAbove && (!best || size(i) >= size(*best)))
      best = i;
  return best;
}

std::vector<Claim> claims(const CaseView& v) {
  const CaseSubject& s = v.material->subject;
  std::vector<Claim> all;
  for (const CasePort& p : s.ports) {
    const auto told = pipe_hz(v, p);
    if (!told) continue;
    const double pipe = *told;
    Claim c(0.15);
    c.at_hz = pipe;
    c.low_hz = pipe / 1.06;
    c.high_hz = pipe * 1.06;
    c.shape = FindingShape::kPeak;
    c.feature = feature_at(v, pipe);
    const SeenFeature* there = c.feature ? &v.features[*c.feature] : nullptr;
    if (!p.geometry) {
      const bool by_near = pipe_by_near_field(v, p);
      c.saw(0.8,
            fmt::format("its length is not told: {} {}",
                        by_near ? "its near field stands out at"
                                : "tuning, volume and width put its pipe at",
                        frequency_text(pipe)),
            by_near ? ToldBy::kNear : ToldBy::kInBox);
    }
    const auto near = near_of(v, p, pipe);
    if (near) saw_near(c, p, *near, there);
    bool any = near.has_value();
    if (there != nullptr) {
      any = true;
      const double by = std::abs(there->feature.height_db);
      c.saw(by > 3.0   ? 10.0
            : by > 1.5 ? 6.0
                       : 2.5,
            fmt::format("the response has a {} of {:.1f} dB there",
                        there->feature.height_db > 0.0 ? "peak" : "dip",
                        std::abs(there->feature.height_db)),
            ToldBy::kAxis);
      constexpr double kBroad_q = 2.2;
      if (there->q < kBroad_q)
        c.saw(0.15, fmt::format("it is broad for a pipe (Q {:.0f})", there->q), ToldBy::kAxis);
      if (there->in_comb) c.saw(0.1, "it is one of many, evenly spaced in Hz", ToldBy::kAxis);
      if (there->near && *there->near > 0.6)
        c.saw(0.5, "the cone's near field has it too", ToldBy::kNear);
    } else if (v.axis_take != nullptr && v.valid.contains(pipe)) {
      c.saw(0.5, "the response shows nothing there", ToldBy::kAxis);
    }
    for (const SeenWiggle& w : v.wiggles)
      if (w.pipe_off < 0.05 && (w.mode.empty() || w.mode_off > w.pipe_off)) {
        any = true;
        c.saw(2.0, "the impedance has a loop there", ToldBy::kInBox);
      }
    if (p.front) c.saw(1.5, "the port faces the listener");
    c.next_step = near ? "A shorter or flared pipe moves it."
                       : "Take the port's near field; a shorter or flared pipe moves it.";
    if (any) all.push_back(std::move(c));
  }
  return all;
}

}  // namespace

Cause causes::port_pipe_resonance() {
  return {"port-pipe-resonance", claims};
}

}  // namespace lalometer
