#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/meeting/crossing.h"
#include "diagnosis/view/sound/ringing.h"

/// Sound that goes round the front's edges: dips and peaks where the drawing has them, gone to the
/// side.
namespace lalometer {
namespace {

constexpr double kOrdinary_db = 2.3;  // common practice, no source

std::vector<Claim> claims(const CaseView& v) {
  std::vector<Claim> all;
  const std::vector<SeenCrossing> meeting = crossings(v);
  for (std::size_t i = 0; i < v.features.size(); ++i) {
    const SeenFeature& f = v.features[i];
    if (!f.from_edges || f.at_hz < 300.0) continue;
    Claim c(0.4);
    c.feature = i;
    if (*f.from_edges > 0.45)
      c.saw(6.0, fmt::format("the edges as {} sees them foretell {:+.1f} dB there", f.leads,
                             f.edges_db));
    else if (*f.from_edges > 0.2)
      c.saw(1.5, fmt::format("the edges foretell a part of it ({:+.1f} dB)", f.edges_db));
    else
      c.saw(0.12, "the edges foretell nothing there");
    // Every box has some of it: of what was seen and what the drawing foretells, since lists and
    // gates show less of sharp edges.
    constexpr double kMore = 1.35;
    const double less = std::min(std::abs(f.edges_db), std::abs(f.feature.height_db));
    const double both = std::min(std::sqrt(less * std::abs(f.edges_db)), kMore * less);
    if (both < kOrdinary_db)
      c.saw(std::max(0.05, std::pow(both / kOrdinary_db, 8.0)), "no more than an ordinary box has",
            ToldBy::kAxis);
    else
      c.saw(std::min(3.0, std::pow(both / kOrdinary_db, 2.0)), "more than an ordinary box has",
            ToldBy::kAxis);
    constexpr double kMeet_octaves = 0.12;
    if (f.crossover_octaves < kMeet_octaves && !f.large_baffle)
      c.saw(0.5, "two drivers meet there: it may be their sum's", ToldBy::kAxis);
    for (const SeenCrossing& s : meeting) {
      if (s.feature != i || f.large_baffle) continue;
      if (s.beyond_edges(v))
        c.saw(0.3,
              fmt::format("{:.1f} dB are missing where {} and {} meet, more than edges make",
                          -s.depth_db, s.crossing->low, s.crossing->high),
              ToldBy::kAxis);
      else if (s.lobes_say_quarter())
        c.saw(0.4, "by the levels up and down two drivers are out of phase there", ToldBy::kUpDown);
    }
    saw_no_ringing(c, f);
    if (f.horizontal) {
      // An ordinary box's edges are gone there as well: that makes them hardly a fault.
      if (*f.horizontal < 0.35)
        c.saw(both < kOrdinary_db ? 2.0 : 3.0, "it is gone to the sides", ToldBy::kSides);
      else if (*f.horizontal > 0.8)
        c.saw(0.2, "it is the same to the sides", ToldBy::kSides);
    }
    if (f.large_baffle) {
      if (*f.large_baffle < 0.35)
        c.saw(8.0, "it is gone in the large baffle", ToldBy::kLargeBaffle);
      else if (*f.large_baffle > 0.7)
        c.saw(0.03, "the large baffle has it too", ToldBy::kLargeBaffle);
    }
    if (f.near && *f.near > 0.6) c.saw(0.1, "the near field has it too", ToldBy::kNear);
    if (!f.horizontal)
      c.next_step = "Turn 30 degrees and take again: if it stays, it is not the edge.";
    else if (!f.large_baffle)
      c.next_step = "Take the driver in a large baffle: if it is gone, it is the edge.";
    all.push_back(std::move(c));
  }
  return all;
}

}  // namespace

Cause causes::edge_diffraction() {
  return {"edge-diffraction", claims};
}

}  // namespace lalometer
