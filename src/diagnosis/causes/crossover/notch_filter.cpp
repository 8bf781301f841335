#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "acoustics/impedance/box_signature.h"
#include "base/text.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/bass/pipe.h"
#include "diagnosis/view/sound/ringing.h"

/// A trap in the network: the same dip everywhere, and a peak of the impedance.
namespace lalometer {
namespace {

constexpr double kHighest_hz = 9000.0;  // of a trap; above, coils and domes make dips

double octaves_from_crossover(const CaseView& v, double f) {
  double least = 9.0;
  for (const CaseCrossover& x : v.material->subject.crossovers)
    least = std::min(least, std::abs(std::log2(f / x.frequency_hz)));
  return least;
}

/// Mean level between two distances from a frequency, octaves; where wished without what lies
/// within half an octave of where two drivers meet. Nothing of fewer than three places.
std::optional<double> mean_level(const CaseView& v, const std::vector<double>& level, double f,
                                 double from, double to, bool beside_meeting = false) {
  constexpr double kMeet = 0.5;
  double sum = 0.0;
  double count = 0.0;
  for (std::size_t i = 0; i < level.size(); ++i) {
    const double octaves = std::log2((*v.axis)[i] / f);
    if (octaves <= from || octaves >= to || !std::isfinite(level[i])) continue;
    if (beside_meeting && octaves_from_crossover(v, (*v.axis)[i]) < kMeet) continue;
    sum += level[i];
    count += 1.0;
  }
  return count < 3.0 ? std::nullopt : std::optional(sum / count);
}

/// How far the level lies under what stands about an octave to both sides, dB.
std::optional<double> under_db(const CaseView& v, const std::vector<double>& level, double f) {
  constexpr double kMeet = 0.5;
  constexpr double kLess_db = 1.5;
  const auto there = mean_level(v, level, f, -0.12, 0.12);
  const auto below = mean_level(v, level, f, -1.5, -0.9);
  auto above = mean_level(v, level, f, 0.9, 1.5);
  if (!there || !below || !above) return std::nullopt;
  // Where two drivers meet, their sum may have a dip of its own: then by what lies beyond.
  if (octaves_from_crossover(v, f * std::exp2(1.2)) < kMeet)
    if (const auto beyond = mean_level(v, level, f, 1.2, 2.4, true))
      above = std::max(*above, *beyond - kLess_db);
  return *there - 0.5 * (*below + *above);
}

/// Where the level is lowest about a peak of the impedance: with a network beside it, the trap's
/// own place lies up to half an octave above that of the peak. Nothing where it goes on falling:
/// what is lowest farther on is another thing's.
std::optional<double> lowest_near(const CaseView& v, double f) {
  constexpr double kFalls_db = 0.5;
  const auto level_at = [&](double hz) { return mean_level(v, v.level_db, hz, -0.08, 0.08); };
  double least = std::numeric_limits<double>::infinity();
  double at = f;
  for (double octaves = -0.2; octaves < 0.55; octaves += 0.02) {
    const double hz = f * std::exp2(octaves);
    if (octaves > 0.2 && octaves_from_crossover(v, hz) < 0.5) continue;
    const auto level = level_at(hz);
    if (!level || !(*level < least)) continue;
    least = *level;
    at = hz;
  }
  for (const double octaves : {-0.12, 0.12})
    if (const auto beyond = level_at(at * std::exp2(octaves));
        beyond && *beyond < least - kFalls_db)
      return std::nullopt;
  return at;
}

/// A peak of the impedance that is none of the driver's.
bool of_driver(const CaseView& v, double f) {
  if (v.free_impedance == nullptr) return false;
  const auto own = impedance_peaks(v.free_impedance->curve, 0.08);
  return std::any_of(own.begin(), own.end(), [&](const ImpedancePeak& p) {
    return std::abs(std::log(p.frequency_hz / f)) < 0.12;
  });
}

/// The dip of the reference that lies there; nothing: it is too broad to stand out.
std::optional<std::size_t> dip_at(const CaseView& v, double f) {
  std::optional<std::size_t> best;
  for (std::size_t i = 0; i < v.features.size(); ++i)
    if (v.features[i].feature.height_db < 0.0 && !v.features[i].sharp &&
        std::abs(std::log(v.features[i].at_hz / f)) < 0.17 &&
        (!best || v.features[i].feature.height_db < v.features[*best].feature.height_db))
      best = i;
  return best;
}

/// The dip that a peak of the impedance foretells, where it stands in series with the driver: by
/// how much it stands over what lies to both sides, dB.
double foretold_db(const Response& impedance, const ImpedancePeak& p) {
  double below = p.magnitude_ohm;
  double above = p.magnitude_ohm;
  for (double octaves = 0.05; octaves < 1.25; octaves += 0.05) {
    const double by = std::exp2(octaves);
    below = std::min(below, std::abs(value_at(impedance, p.frequency_hz / by)));
    above = std::min(above, std::abs(value_at(impedance, p.frequency_hz * by)));
  }
  return 20.0 * std::log10(p.magnitude_ohm / std::sqrt(below * above));
}

/// A sharp dip or peak, which no coil makes.
bool sharp_at(const CaseView& v, double f) {
  return std::any_of(v.features.begin(), v.features.end(), [&](const SeenFeature& s) {
    return s.q > 10.0 && std::abs(s.feature.height_db) > 2.0 &&
           std::abs(std::log(s.at_hz / f)) < 0.1;
  });
}

/// Whether the network's own peak, where two drivers meet, stands beside this one.
bool nearer_crossover(const CaseView& v, const std::vector<ImpedancePeak>& peaks, double f) {
  const double own = octaves_from_crossover(v, f);
  return std::any_of(peaks.begin(), peaks.end(), [&](const ImpedancePeak& p) {
    const double octaves = octaves_from_crossover(v, p.frequency_hz);
    return octaves < 1.0 && octaves < own - 0.2;
  });
}

/// A resonance of the driver stands beside a dip: its other side.
bool beside_resonance(const CaseView& v, const SeenFeature& dip) {
  constexpr double kBeside_octaves = 0.45;
  constexpr double kStandsOut_db = 2.0;
  return std::any_of(v.features.begin(), v.features.end(), [&](const SeenFeature& f) {
    return f.feature.height_db > kStandsOut_db && f.wiggle_free.value_or(0.0) > 0.4 &&
           std::abs(std::log2(f.at_hz / dip.at_hz)) < kBeside_octaves;
  });
}

void saw_comb(Claim& c, const CaseView& v) {
  if (c.feature && v.features[*c.feature].in_comb)
    c.saw(0.2, "it is one of many, evenly spaced in Hz", ToldBy::kAxis);
}

/// A trap across the driver: the terminals see less than the driver itself, and no peak.
std::vector<Claim> of_shunts(const CaseView& v) {
  std::vector<Claim> all;
  if (v.free_impedance == nullptr) return all;
  for (std::size_t i = 0; i < v.features.size(); ++i) {
    const SeenFeature& f = v.features[i];
    if (f.feature.height_db > -2.5 || f.sharp || f.at_hz < 200.0 || f.at_hz > kHighest_hz) continue;
    double least = 1e9;
    double least_hz = f.at_hz;
    for (double hz = 0.5 * f.at_hz; hz < 1.2 * f.at_hz; hz *= 1.05) {
      const double share = std::abs(value_at(v.box_impedance->curve, hz)) /
                           std::abs(value_at(v.free_impedance->curve, hz));
      if (!(share < least)) continue;
      least = share;
      least_hz = hz;
    }
    if (!(least < 0.8)) continue;
    Claim c(0.1);
    c.feature = i;
    c.saw(std::clamp(std::exp(14.0 * (0.56 - least)), 0.2, 8.0),
          fmt::format("the terminals see {:.0f} % of the driver's impedance at {}", 100.0 * least,
                      frequency_text(least_hz)),
          ToldBy::kFreeAir);
    c.saw(std::clamp(std::exp(0.9 * (-f.feature.height_db - 3.2)), 0.3, 4.0),
          fmt::format("the dip is {:.1f} dB deep", -f.feature.height_db), ToldBy::kAxis);
    if (f.rings_q && *f.rings_q > 8.0) saw_ringing(c, f, {.rings = 0.35, .not_so = 1.0});
    if (f.horizontal)
      c.saw(*f.horizontal > 0.65 ? 2.5 : 0.2,
            *f.horizontal > 0.65 ? "it is alike at all angles" : "it changes with the angle",
            ToldBy::kSides);
    if (f.alone)
      c.saw(*f.alone > 0.6 ? 3.0 : 0.1,
            *f.alone > 0.6 ? f.leads + " alone has it" : f.leads + " alone does not have it",
            ToldBy::kAlone);
    if (f.wiggle_free)
      c.saw(*f.wiggle_free > 0.4 ? 0.2 : 2.0,
            *f.wiggle_free > 0.4 ? "the driver in free air has a loop there"
                                 : "the driver in free air has nothing there",
            ToldBy::kFreeAir);
    if (beside_resonance(v, f))
      c.saw(0.25, "a resonance of the driver stands beside it", ToldBy::kFreeAir);
    saw_comb(c, v);
    if (f.from_edges && *f.from_edges > 0.45) c.saw(0.2, "the edges foretell it");
    if (f.crossover_octaves < 0.5) c.saw(0.2, "two drivers meet there");
    c.next_step = "Look for a trap in the network, or bridge it and take again.";
    all.push_back(std::move(c));
  }
  return all;
}

/// Whether it is there to the sides as well.
void saw_sides(Claim& c, const CaseView& v, double dip_hz, double under) {
  double sides = 0.0;
  double count = 0.0;
  for (const CaseTake* t : v.responses()) {
    const double h = std::abs(t->horizontal_deg);
    if (t->vertical_deg != 0.0 || h < 14.0 || h > 46.0) continue;
    if (const auto side = under_db(v, v.levels.at(t), dip_hz)) {
      sides += *side;
      count += 1.0;
    }
  }
  if (count > 0.0)
    c.saw(sides / count < 0.6 * under ? 2.0 : 0.3,
          fmt::format("to the sides it is {:.1f} dB", sides / count), ToldBy::kSides);
}

/// Where the impedance peaks, re the crossovers and the dip that is claimed.
/// @param another  a network has a peak of its own where its halves meet: it stands nearer to one
void saw_place(Claim& c, const CaseView& v, const ImpedancePeak& p, bool another) {
  const double f = p.frequency_hz;
  const double octaves = octaves_from_crossover(v, f);
  // A drawing that tells no drivers tells no crossovers either.
  const bool known = !v.material->subject.drivers.empty();
  c.saw(!known                     ? 1.2
        : octaves > 0.95           ? 12.0
        : octaves > 0.4 && another ? 6.0
        : octaves > 0.6            ? 0.6
                                   : 0.15,
        fmt::format("the impedance peaks at {} ({:.1f} ohm)", frequency_text(f), p.magnitude_ohm),
        ToldBy::kInBox);
  // What a network has by itself is no dip.
  constexpr double kWithin = 0.06;
  constexpr double kDip_db = 2.0;
  if (!c.feature || octaves < 0.6) return;
  const SeenFeature& dip = v.features[*c.feature];
  if (dip.feature.height_db < -kDip_db && std::abs(std::log(dip.at_hz / f)) < kWithin)
    c.saw(2.5, "a dip stands where it peaks", ToldBy::kAxis);
}

std::vector<Claim> claims(const CaseView& v) {
  if (v.box_impedance == nullptr || v.axis_take == nullptr) return {};
  std::vector<Claim> all = of_shunts(v);
  const auto peaks = impedance_peaks(v.box_impedance->curve, 0.08);
  for (const ImpedancePeak& p : peaks) {
    const double f = p.frequency_hz;
    if (f < 200.0 || f > kHighest_hz || of_driver(v, f)) continue;
    if (v.box && f < 1.6 * v.box->fh_hz.value) continue;
    const double from_crossover = octaves_from_crossover(v, f);
    const auto lowest = lowest_near(v, f);
    if (!lowest) continue;
    const double dip_hz = *lowest;
    const auto under = under_db(v, v.level_db, dip_hz);
    if (!under || *under > -1.5) continue;
    Claim c(0.25);
    c.feature = dip_at(v, dip_hz);
    if (!c.feature) {
      c.at_hz = dip_hz;
      c.low_hz = dip_hz / 1.4;
      c.high_hz = dip_hz * 1.4;
      c.size_db = *under;
    }
    saw_place(c, v, p, nearer_crossover(v, peaks, f));
    c.saw(std::clamp(std::exp(0.8 * (-*under - 3.8)), 0.15, 6.0),
          fmt::format("the level lies {:.1f} dB under what is an octave away", -*under),
          ToldBy::kAxis);
    // Of planted traps the dip had 0.45 to 1 of what the peak foretells; near a crossover the other
    // branch stands beside the trap, and its peak is lower.
    constexpr double kClear_octaves = 1.2;
    const double foretold = foretold_db(v.box_impedance->curve, p);
    // A network's coils make small ones by themselves.
    constexpr double kPlain_db = 4.5;
    if (foretold < kPlain_db)
      c.saw(graded(foretold, 2.5, 0.15, kPlain_db, 1.0),
            fmt::format("the peak is small: as a trap it foretells {:.1f} dB", foretold),
            ToldBy::kInBox);
    saw_comb(c, v);
    if (-*under < 0.4 * foretold || (-*under > 1.3 * foretold && from_crossover > kClear_octaves))
      c.saw(0.25, fmt::format("a trap with that peak makes a dip of {:.1f} dB", foretold),
            ToldBy::kInBox);
    if (sharp_at(v, dip_hz))
      c.saw(0.15, "something sharp lies there, which no coil makes", ToldBy::kAxis);
    if (at_pipes_overtone(v, dip_hz))
      c.saw(0.1, "the port's pipe has an overtone there");
    else if (beside_heard_pipe(v, dip_hz))
      c.saw(0.3, "the port's pipe is heard beside it", ToldBy::kAxis);
    saw_sides(c, v, dip_hz, *under);
    // Coils and resistors make a broad peak; a box's wave a sharp one.
    constexpr double kOfACoil = 8.0;
    // A loop that is a small part of the peak is not what makes it.
    constexpr double kPart = 0.15;
    const double least_percent = kPart * 100.0 * (std::pow(10.0, foretold / 20.0) - 1.0);
    const auto loop = std::find_if(v.wiggles.begin(), v.wiggles.end(), [&](const SeenWiggle& w) {
      return (!w.mode.empty() || w.wiggle.q > kOfACoil) &&
             w.wiggle.height_percent > least_percent &&
             std::abs(std::log(w.wiggle.frequency_hz.value / f)) < 0.06;
    });
    // No air moves a coil by half of what it is.
    constexpr double kOfAir_percent = 15.0;
    const bool coils = loop != v.wiggles.end() && loop->wiggle.q < kOfACoil &&
                       loop->wiggle.height_percent > kOfAir_percent;
    if (loop != v.wiggles.end() && !coils)
      c.saw(0.06,
            loop->mode.empty() ? fmt::format("that peak has a Q of {:.0f}", loop->wiggle.q)
                               : std::string("a wave of the box lies there"),
            ToldBy::kInBox);
    else if (v.free_impedance != nullptr)
      c.saw(1.5, "the driver in free air has no such peak", ToldBy::kFreeAir);
    c.next_step = "Look for a trap in the network, or bridge it and take again.";
    all.push_back(std::move(c));
  }
  return all;
}

}  // namespace

Cause causes::notch_filter() {
  return {"notch-filter", claims};
}

}  // namespace lalometer
