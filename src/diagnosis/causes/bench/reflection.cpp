#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"
#include "diagnosis/registry.h"

/// A surface nearby: dips evenly spaced, an arrival within the gate.
namespace lalometer {
namespace {

/// A comb of the reference, and whether anything but the loudspeaker itself can be what makes it.
struct Comb {
  std::ptrdiff_t teeth = 0;  ///< that the edges do not foretell
  /// Where the drawing tells no edges they may be what is even; but they make no deep teeth, and a
  /// reflection is alike to the sides.
  double even = 1.0;
  double share = 0.0;
  double later_m = 0.0;  ///< by so much longer is the second arrival's way
  bool of_box = false;   ///< it has gone no farther than to the box's own edges
  /// Of the ripple on the axis, what one copy of the sound explains; 0: none was found.
  double explained = 0.0;

  [[nodiscard]] bool stands() const { return teeth >= 5 || explained > 0.5; }
  void saw_teeth(Claim& c) const {
    if (explained > 0.5)
      c.saw(
          15.0 * even,
          fmt::format("a copy of {:.0f} % that has come {:.2f} m farther explains {:.0f} % of the "
                      "axis' ripple",
                      100.0 * share, later_m, 100.0 * explained),
          ToldBy::kAxis);
    else
      c.saw(15.0 * even, fmt::format("{} dips and peaks lie evenly spaced in Hz", teeth),
            ToldBy::kAxis);
  }
  void saw_too_soon(Claim& c) const {
    constexpr double kOfBox = 0.1;
    if (of_box)
      c.saw(kOfBox,
            fmt::format(
                "the second arrival's way is {:.0f} mm longer: no farther than to the box's edges",
                1e3 * later_m),
            ToldBy::kAxis);
  }
};

Comb comb_of(const CaseView& v) {
  constexpr double kDeep_db = 3.0;
  constexpr double kNearest_m = 0.12;
  Comb out;
  // What edges make at short waves is evenly spaced as well.
  out.teeth = std::count_if(v.features.begin(), v.features.end(), [](const SeenFeature& f) {
    return f.in_comb && f.from_edges.value_or(0.0) < 0.4;
  });
  double alike = 0.0;
  double asked = 0.0;
  double deep_db = 0.0;
  for (const SeenFeature& f : v.features) {
    if (!f.in_comb) continue;
    deep_db += std::abs(f.feature.height_db) / static_cast<double>(std::max<long>(out.teeth, 1));
    if (f.horizontal) {
      alike += *f.horizontal;
      asked += 1.0;
    }
  }
  const bool likely = deep_db > kDeep_db || (asked > 0.0 && alike / asked > 0.5);
  out.even = !v.edges.empty() ? 1.0 : likely ? 0.5 : 0.06;
  const auto& baffle = v.material->subject.baffle;
  const double to_edges_m = std::max(kNearest_m, baffle ? 0.55 * baffle->width_m() : 0.0);
  out.later_m = v.comb_hz > 0.0 ? kSpeedOfSound20_m_s / v.comb_hz : 0.0;
  out.of_box = out.later_m > 0.0 && out.later_m < to_edges_m;
  const auto copy = v.arrivals.find(v.axis_take);
  if (copy != v.arrivals.end() && !out.of_box) {
    out.explained = copy->second.explained;
    out.share = copy->second.share;
  }
  return out;
}

std::vector<Claim> claims(const CaseView& v) {
  if (v.axis_take == nullptr) return {};
  const CaseTake& t = *v.axis_take;
  const bool inside = t.reflection_s && t.gate_s > 0.0 && *t.reflection_s < 0.95 * t.gate_s;
  std::vector<Claim> all;
  const Comb comb = comb_of(v);
  // An open panel's rear is a second arrival as well, where the drawing has it.
  const CaseSubject& subject = v.material->subject;
  double round_m = 0.0;
  if (subject.loading == "open-baffle" && subject.baffle)
    round_m =
        std::max(subject.baffle->width_m(), subject.baffle->height_m()) + 2.0 * subject.wing_m;
  // What has come farther than round it is none of its own.
  constexpr double kFarther = 1.15;
  const bool own_arrival = !inside || *t.reflection_s < round_m / kSpeedOfSound20_m_s;
  const bool panel =
      round_m > 0.0 && own_arrival && !(comb.explained > 0.5 && comb.later_m > kFarther * round_m);
  for (std::size_t i = 0; i < v.features.size(); ++i) {
    const SeenFeature& f = v.features[i];
    const bool evenly = f.in_comb && comb.stands();
    if (panel || (!evenly && !inside)) continue;
    Claim c(0.1);
    c.feature = i;
    if (evenly)
      c.saw(25.0 * comb.even, "it is one of many dips and peaks evenly spaced in Hz",
            ToldBy::kAxis);
    if (evenly && !inside) comb.saw_too_soon(c);
    if (inside)
      c.saw(6.0,
            fmt::format("something arrives {:.2f} ms after the sound, within the gate of {:.1f} ms",
                        1e3 * *t.reflection_s, 1e3 * t.gate_s),
            ToldBy::kAxis);
    else if (t.reflection_s)
      c.saw(0.2, "nothing arrives within the gate", ToldBy::kAxis);
    if (f.horizontal)
      c.saw(*f.horizontal > 0.5 ? 1.5 : 0.5,
            *f.horizontal > 0.5 ? "it is the same to the sides" : "it is gone to the sides",
            ToldBy::kSides);
    if (f.from_edges && *f.from_edges > 0.45)
      c.saw(f.horizontal && *f.horizontal < 0.5 ? 0.05 : 0.3, "the edges foretell it",
            ToldBy::kSides);
    c.next_step = "Move the loudspeaker away from everything, or gate before it, and take again.";
    all.push_back(std::move(c));
  }
  if (!panel && (inside || comb.stands())) {
    Claim c(0.3);
    if (inside)
      c.saw(8.0,
            fmt::format("an arrival {:.2f} ms after the sound lies within the gate",
                        1e3 * *t.reflection_s),
            ToldBy::kAxis);
    if (comb.stands()) comb.saw_teeth(c);
    if (comb.stands() && !inside) comb.saw_too_soon(c);
    all.push_back(std::move(c));
  }
  return all;
}

}  // namespace

Cause causes::reflection() {
  return {"reflection", claims};
}

}  // namespace lalometer
