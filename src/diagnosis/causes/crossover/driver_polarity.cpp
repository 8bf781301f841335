#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/meeting/crossing.h"

/// A driver the wrong way round: a deep null where two meet.
namespace lalometer {
namespace {

std::vector<Claim> claims(const CaseView& v) {
  std::vector<Claim> all;
  for (const SeenCrossing& s : crossings(v)) {
    const bool told = s.between_deg && std::abs(*s.between_deg) > 130.0;
    const bool lobes = s.lobe && s.lobe->reversed_ratio > 4.0;
    if (s.depth_db > -3.0 && !told && !lobes) continue;
    Claim c(0.2);
    place(c, s);
    const double deep = -s.depth_db;
    // Two that add up alone leave next to nothing the wrong way round; half a turn less 40 degrees
    // still leaves 9 dB less than their sum.
    const double by_depth =
        deep > 7.5 ? graded(deep, 7.5, 2.0, 10.5, 12.0) : graded(deep, 5.5, 0.8, 7.5, 2.0);
    // Their phase, where it was taken, says the same again.
    c.saw(s.between_deg ? std::min(by_depth, 1.5) : by_depth,
          fmt::format("a null of {:.0f} dB where {} and {} meet", deep, s.crossing->low,
                      s.crossing->high),
          ToldBy::kAxis);
    if (s.hole_beside())
      c.saw(0.3, fmt::format("the null lies at {}, beside the crossover", frequency_text(s.at_hz)),
            ToldBy::kAxis);
    if (s.between_deg) {
      const double off = std::abs(*s.between_deg);
      c.saw(
          off > 130.0 ? graded(off, 130.0, 1.5, 150.0, 18.0) : graded(off, 108.0, 0.08, 130.0, 1.5),
          fmt::format("alone they are {:.0f}° apart there", off), ToldBy::kAlone);
    }
    if (s.flipped_db)
      c.saw(*s.flipped_db > 6.0 ? 15.0 : 0.08,
            fmt::format("with a driver flipped the level moves by {:+.1f} dB", *s.flipped_db),
            ToldBy::kFlipped);
    if (s.lobe)
      c.saw(s.beside_phase(s.lobe->for_reversed()),
            fmt::format(
                "the levels up and down are those of drivers {:.0f}° apart (within {:.1f} dB)",
                std::abs(s.lobe->between_deg), s.lobe->misfit_db),
            ToldBy::kUpDown);
    saw_distance(c, v, s);
    saw_alone(c, v, s);
    saw_bent(c, v, s);
    if (s.sides_db)
      c.saw(*s.sides_db < 0.75 * s.depth_db  ? 1.8
            : *s.sides_db < 0.4 * s.depth_db ? 0.8
                                             : 0.4,
            fmt::format("to the sides {:.1f} dB are missing", -*s.sides_db), ToldBy::kSides);
    if (!s.flipped_db)
      c.next_step = "Flip one driver and take again, 2 minutes: a wrong polarity fills.";
    all.push_back(std::move(c));
  }
  return all;
}

}  // namespace

Cause causes::driver_polarity() {
  return {"driver-polarity", claims};
}

}  // namespace lalometer
