#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/meeting/crossing.h"

/// Two drivers that are right alone and do not add up.
namespace lalometer {
namespace {

/// Two that stand a quarter period apart leave 3 dB less than in phase, and what the drivers and
/// the edges bend in an octave comes to 2 or 3 dB by itself; the same to the sides, where edges
/// differ.
void saw_depth(Claim& c, const SeenCrossing& s) {
  constexpr double kOfSoundOnes_db = 2.95;
  const double deep = -s.depth_db;
  // A delay shrinks to the sides, where the ways differ less: half of it is alike. What is much
  // deeper there is a driver's own narrowing.
  constexpr double kDeeper_db = 1.8;
  const bool alike = s.sides_db && *s.sides_db < 0.4 * s.depth_db;
  const double mean = alike ? 0.5 * (deep + std::min(-*s.sides_db, deep + kDeeper_db)) : deep;
  // Where their phase itself was taken, or the lobes tell it, a depth that edges make as well says
  // little. Two of odd order add up a quarter period apart (Butterworth's): what misses nothing is
  // right.
  const double least = mean < 1.0                               ? 0.19
                       : s.between_deg || s.lobes_say_quarter() ? 0.9
                       : mean < 2.0                             ? 0.2
                                                                : 0.4;
  const double most = alike ? 6.0 : 1.5;
  // Deeper than 9.5 dB they are nearer half a period apart than a quarter.
  const double ratio = s.hole_beside() ? 8.0
                       : mean > 9.5    ? graded(mean, 9.5, most / 3.0, 12.0, 0.3)
                       : mean > 8.2
                           ? graded(mean, 8.2, most, 9.5, most / 3.0)
                           : std::clamp(std::exp(3.0 * (mean - kOfSoundOnes_db)), least, most);
  c.saw(ratio,
        fmt::format("where {} and {} meet {:.1f} dB are missing{}{}", s.crossing->low,
                    s.crossing->high, deep,
                    s.hole_beside()
                        ? fmt::format(" at {}, beside the crossover", frequency_text(s.at_hz))
                        : std::string(),
                    alike ? fmt::format(", to the sides {:.1f} dB", -*s.sides_db) : ""),
        ToldBy::kSides);
  if (s.sides_db && !alike)
    c.saw(*s.sides_db < -4.0 ? 0.8 : 0.3,
          fmt::format("to the sides only {:.1f} dB are missing", -*s.sides_db), ToldBy::kSides);
}

std::vector<Claim> claims(const CaseView& v) {
  std::vector<Claim> all;
  for (const SeenCrossing& s : crossings(v)) {
    const bool told =
        s.between_deg && std::abs(*s.between_deg) > 60.0 && std::abs(*s.between_deg) < 145.0;
    const bool lobes = s.lobes_say_quarter();
    if (s.depth_db > -1.5 && !told && !lobes) continue;
    Claim c(0.3);
    place(c, s);
    saw_depth(c, s);
    if (s.between_deg) {
      const double off = std::abs(*s.between_deg);
      // From 130 on it is more likely half a turn less the usual 55.
      c.saw(off <= 58.0   ? 0.1
            : off > 130.0 ? graded(off, 130.0, 1.0, 148.0, 0.08)
            : off > 70.0  ? graded(off, 108.0, 10.0, 130.0, 1.0)
                          : 1.5,
            fmt::format("alone they are {:.0f}° apart there", off), ToldBy::kAlone);
    }
    if (s.flipped_db)
      c.saw(std::abs(*s.flipped_db) < 5.0   ? 8.0
            : std::abs(*s.flipped_db) < 7.0 ? 0.4
                                            : 0.06,  // 134 degrees and more
            fmt::format("with a driver flipped the level moves by {:+.1f} dB", *s.flipped_db),
            ToldBy::kFlipped);
    if (s.lobe)
      c.saw(
          s.beside_phase(Lobe::against(s.quarter_ratio(), s.lobe->reversed_ratio)),
          fmt::format(
              "the levels up and down are those of drivers {:.0f}° apart (within {:.1f} dB){}",
              std::abs(s.lobe->between_deg), s.lobe->misfit_db,
              s.lobe_above ? fmt::format(", higher up {:.0f}°", std::abs(s.lobe_above->between_deg))
                           : ""),
          ToldBy::kUpDown);
    if (s.turns_back())
      c.saw(0.05, "higher up they are nearer in phase again, as beside a resonance",
            ToldBy::kUpDown);
    saw_distance(c, v, s);
    saw_alone(c, v, s);
    saw_bent(c, v, s);
    if (s.feature && v.features[*s.feature].from_edges.value_or(0.0) > 0.45 && !s.beyond_edges(v) &&
        !s.lobes_say_quarter())
      c.saw(0.4, "the edges foretell a dip there", ToldBy::kAxis);
    if (!s.between_deg)
      c.next_step = "Take each driver alone, with one clock: their phase at the crossover tells.";
    all.push_back(std::move(c));
  }
  return all;
}

}  // namespace

Cause causes::crossover_phase() {
  return {"crossover-phase", claims};
}

}  // namespace lalometer
