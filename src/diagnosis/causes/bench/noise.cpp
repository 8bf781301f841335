#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/repeats.h"

/// A room or a rig that is loud beside what is measured.
namespace lalometer {
namespace {

/// The second lowest of the octaves: noise is in all of them, where rows lie too far apart for a
/// comb or a pipe's waves it is only in some.
double rough_db(const CaseView& v, const CaseTake& t) {
  const bool near = t.kind == CaseTake::Kind::kNearField;
  const bool impedance = t.kind == CaseTake::Kind::kImpedance;
  const double low = impedance ? 30.0 : near ? 100.0 : 250.0;
  const double high = near ? 1600.0 : 16000.0;
  const auto arrival = v.arrivals.find(&t);
  const Response rows = arrival == v.arrivals.end() ? t.curve : without(arrival->second, t.curve);
  std::vector<double> octaves;
  for (double f = low; 2.0 * f <= high; f *= 2.0)
    if (const auto each = scatter_db(rows, f, 2.0 * f)) octaves.push_back(*each);
  if (octaves.size() < 3) return 0.0;
  std::sort(octaves.begin(), octaves.end());
  // What bends smoothly does so from row to row by the square of their distance.
  constexpr double kEnough = 20.0;  // rows an octave
  const double an_octave =
      static_cast<double>(t.curve.size()) / std::log2(t.curve.axis().back() / t.curve.axis()[0]);
  return octaves[1] * std::pow(std::min(an_octave / kEnough, 1.0), 2);
}

/// Put back and taken again a loudspeaker comes out within 0.3 dB or so (common practice).
constexpr double kApart_db = 0.5;

std::vector<Claim> claims(const CaseView& v) {
  std::vector<std::int64_t> seen;
  for (const CaseTake& t : v.material->takes)
    if (std::find(t.seen.begin(), t.seen.end(), "noise") != t.seen.end()) seen.push_back(t.id);
  double worst = 0.0;
  std::string name;
  std::int64_t take = 0;
  // Behind, where all the edges' sound meets, lists bend from row to row by themselves.
  constexpr double kFront_deg = 76.0;
  for (const CaseTake& t : v.material->takes) {
    if (std::max(std::abs(t.horizontal_deg), std::abs(t.vertical_deg)) > kFront_deg) continue;
    // A port's near field is full of its pipe and the box's waves.
    if (t.kind == CaseTake::Kind::kNearField && v.material->subject.driver(t.source) == nullptr &&
        !v.material->subject.drivers.empty())
      continue;
    // A comb that was found on the axis, and not followed here, is none either.
    if (t.kind == CaseTake::Kind::kResponse && !v.arrivals.empty() && !v.arrivals.contains(&t))
      continue;
    const double rough = (t.kind == CaseTake::Kind::kImpedance ? 3.0 : 1.0) * rough_db(v, t);
    if (rough > worst) {
      worst = rough;
      name = t.name;
      take = t.id;
    }
  }
  const double apart = repeats_apart_db(v).value_or(0.0);
  if (seen.empty() && worst < 0.25 && apart < kApart_db) return {};
  Claim c(0.3);
  if (!seen.empty())
    c.saw(8.0, fmt::format("{} takes stand little over their noise", seen.size()), seen);
  if (worst >= 0.25)
    c.saw(worst > 0.5 ? 8.0 : 1.5,
          fmt::format("rows of “{}” scatter by {:.1f} dB about a smooth run", name, worst),
          std::vector{take});
  if (apart >= kApart_db)
    c.saw(std::clamp(std::exp(6.0 * (apart - kApart_db)), 1.0, 20.0),
          fmt::format("takes that were repeated differ by {:.1f} dB rms", apart));
  c.next_step = "Wait for quiet, come closer, use a longer sweep or more repeats.";
  return {c};
}

}  // namespace

Cause causes::noise() {
  return {"noise", claims};
}

}  // namespace lalometer
