#include "diagnosis/view/meeting/crossing.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

constexpr double kHole_db = -5.0;
constexpr double kBeside_octaves = 0.12;

struct Depth {
  double at_hz = 0.0;
  double db = 0.0;
};

double mean_db(const CaseView& v, const std::vector<double>& level, double low, double high) {
  double sum = 0.0;
  double count = 0.0;
  for (std::size_t i = 0; i < level.size(); ++i) {
    const double f = (*v.axis)[i];
    if (f < low || f > high || !std::isfinite(level[i])) continue;
    sum += level[i];
    count += 1.0;
  }
  return count > 0.0 ? sum / count : std::numeric_limits<double>::quiet_NaN();
}

/// Whether something of its own is louder between two frequencies: a resonance is no run from which
/// a hole is missing.
bool lifted(const CaseView& v, double low, double high) {
  constexpr double kPlain_db = 2.0;
  return std::any_of(v.features.begin(), v.features.end(), [&](const SeenFeature& f) {
    return f.feature.height_db > kPlain_db && f.at_hz > 0.9 * low && f.at_hz < 1.1 * high;
  });
}

std::optional<Depth> depth_of(const CaseView& v, const std::vector<double>& level, double f) {
  double below = mean_db(v, level, 0.3 * f, 0.55 * f);
  double above = mean_db(v, level, 1.8 * f, 3.3 * f);
  if (lifted(v, 0.3 * f, 0.55 * f)) below = std::min(below, above);
  if (lifted(v, 1.8 * f, 3.3 * f)) above = std::min(below, above);
  Depth lowest{f, std::numeric_limits<double>::infinity()};
  for (std::size_t i = 0; i < level.size(); ++i) {
    const double at = (*v.axis)[i];
    if (std::abs(std::log2(at / f)) > 0.5 || !(level[i] < lowest.db)) continue;
    lowest = {at, level[i]};
  }
  // The lowest of many rows that scatter lies low by itself.
  constexpr double kOfScatter = 2.0;
  constexpr double kOfRepeats = 1.5;
  constexpr double kOrdinary_db = 0.3;  // bends of the curve itself
  const double scatter = scatter_db(v.axis_take->curve, 0.3 * f, 3.3 * f).value_or(0.0);
  lowest.db += kOfScatter * std::max(0.0, scatter - kOrdinary_db);
  if (!v.repeats_off_db.empty())
    lowest.db +=
        kOfRepeats * std::max(0.0, mean_db(v, v.repeats_off_db, 0.3 * f, 3.3 * f) - kOrdinary_db);
  lowest.db -= 0.5 * (below + above);
  return std::isfinite(lowest.db) ? std::optional(lowest) : std::nullopt;
}

/// The size of the phase between two drivers by three levels, without any phase: of both, of each
/// alone (the cosine rule); where they are about equally loud.
std::optional<double> by_levels_deg(const CaseView& v, const CaseCrossover& x, const CaseTake& low,
                                    const CaseTake& high) {
  constexpr double kAlike_db = 4.0;
  constexpr double kReach_octaves = 0.25;
  const std::vector<double>& a = v.levels.at(&low);
  const std::vector<double>& b = v.levels.at(&high);
  const double drive_db[2] = {20.0 * std::log10(v.axis_take->drive_v / low.drive_v),
                              20.0 * std::log10(v.axis_take->drive_v / high.drive_v)};
  double sum = 0.0;
  double count = 0.0;
  for (std::size_t i = 0; i < a.size(); ++i) {
    if (std::abs(std::log2((*v.axis)[i] / x.frequency_hz)) > kReach_octaves) continue;
    const double one = std::pow(10.0, (a[i] + drive_db[0]) / 20.0);
    const double other = std::pow(10.0, (b[i] + drive_db[1]) / 20.0);
    if (!(std::abs(a[i] + drive_db[0] - b[i] - drive_db[1]) < kAlike_db)) continue;
    const double both = std::pow(10.0, v.level_db[i] / 20.0);
    const double cosine = (both * both - one * one - other * other) / (2.0 * one * other);
    if (!std::isfinite(cosine)) continue;
    sum += cosine;
    count += 1.0;
  }
  // A recording without a calibration, or another drive, is no sum of those.
  constexpr double kOneScale_db = 1.5;
  const auto apart = [&](const std::vector<double>& alone, double scale_db, double from,
                         double to) {
    const double off = mean_db(v, v.level_db, from * x.frequency_hz, to * x.frequency_hz) -
                       mean_db(v, alone, from * x.frequency_hz, to * x.frequency_hz) - scale_db;
    return std::isfinite(off) ? std::abs(off) : 0.0;
  };
  constexpr double kLeast = 4.0;
  if (count < kLeast || apart(a, drive_db[0], 0.2, 0.4) > kOneScale_db ||
      apart(b, drive_db[1], 2.8, 5.0) > kOneScale_db)
    return std::nullopt;
  return std::acos(std::clamp(sum / count, -1.0, 1.0)) * 180.0 / kPi;
}

std::optional<double> between_deg(const CaseView& v, const CaseCrossover& x) {
  const CaseTake* low = nullptr;
  const CaseTake* high = nullptr;
  for (const CaseTake& t : v.material->takes) {
    if (t.kind != CaseTake::Kind::kResponse || t.variant != v.variant || t.horizontal_deg != 0.0 ||
        t.vertical_deg != 0.0 || !t.condition.empty() || t.sample != v.sample)
      continue;
    if (t.driver == x.low) low = &t;
    if (t.driver == x.high) high = &t;
  }
  if (low == nullptr || high == nullptr) return std::nullopt;
  if (!low->curve.has_phase() || !high->curve.has_phase()) return by_levels_deg(v, x, *low, *high);
  const auto a = value_at(low->curve, x.frequency_hz);
  const auto b = value_at(high->curve, x.frequency_hz);
  if (!std::isfinite(std::abs(a)) || !(std::abs(b) > 0.0)) return std::nullopt;
  return std::arg(a / b) * 180.0 / kPi;
}

/// A third of an octave above and half a one, where both still play: what a late driver turns it
/// turns at both; beside a resonance one of them is as usual.
std::optional<Lobe> lobe_above(const CaseView& v, const CaseCrossover& x) {
  const auto third = lobe_of(v, x, x.frequency_hz * std::exp2(0.3));
  const auto half = lobe_of(v, x, x.frequency_hz * std::exp2(0.5));
  return third && half && half->quarter_ratio < third->quarter_ratio ? half : third;
}

/// From so near the ways to the two drivers differ by more than they do where anybody listens.
bool too_near(const CaseView& v, const CaseCrossover& x) {
  constexpr double kFar = 2.0;  // of their distance from one another
  const CaseDriver* low = v.material->subject.driver(x.low);
  const CaseDriver* high = v.material->subject.driver(x.high);
  return low != nullptr && high != nullptr &&
         v.axis_take->distance_m < kFar * std::hypot(low->x_m - high->x_m, low->y_m - high->y_m);
}

/// A late driver's phase grows with frequency: its hole lies above the crossover, and there the two
/// are nearer half a period apart than where they meet.
bool grown(const Lobe& at_crossover, const Lobe& at_hole) {
  constexpr double kPlain = 8.0;
  constexpr double kMore_deg = 15.0;
  return at_crossover.for_quarter() > kPlain &&
         std::abs(at_hole.between_deg) > std::abs(at_crossover.between_deg) + kMore_deg;
}

}  // namespace

bool SeenCrossing::beyond_edges(const CaseView& v) const {
  constexpr double kMore_db = 3.0;
  return feature && -depth_db > std::abs(v.features[*feature].edges_db) + kMore_db;
}

bool SeenCrossing::hole_beside() const {
  constexpr double kDeep_db = -8.7;
  constexpr double kOff_octaves = 0.15;
  return depth_db < kDeep_db && std::abs(std::log2(at_hz / crossing->frequency_hz)) > kOff_octaves;
}

double SeenCrossing::quarter_ratio() const {
  if (!lobe) return 1.0;
  const double own = lobe->quarter_ratio;
  return lobe_above ? std::max(own, std::sqrt(own * lobe_above->quarter_ratio)) : own;
}

bool SeenCrossing::turns_back() const {
  constexpr double kBack_deg = 25.0;
  return lobe && lobe_above &&
         std::abs(lobe_above->between_deg) < std::abs(lobe->between_deg) - kBack_deg;
}

double SeenCrossing::beside_phase(double of_lobe) const {
  return between_deg ? std::clamp(of_lobe, 0.5, 2.0) : of_lobe;
}

std::vector<SeenCrossing> crossings(const CaseView& v) {
  std::vector<SeenCrossing> all;
  if (v.axis_take == nullptr) return all;
  for (const CaseCrossover& x : v.material->subject.crossovers) {
    const auto depth = depth_of(v, v.level_db, x.frequency_hz);
    if (!depth) continue;
    SeenCrossing s{.crossing = &x, .at_hz = depth->at_hz, .depth_db = depth->db};
    double nearest = 0.45;
    for (std::size_t i = 0; i < v.features.size(); ++i) {
      const double off = std::abs(std::log2(v.features[i].at_hz / depth->at_hz));
      if (v.features[i].feature.height_db < 0.0 && off < nearest) {
        nearest = off;
        s.feature = i;
      }
    }
    s.between_deg = between_deg(v, x);
    s.lobe = lobe_of(v, x, x.frequency_hz);
    // A hole is where they really meet, whatever was told; what follows the levels better counts.
    if (depth->db < kHole_db &&
        std::abs(std::log2(depth->at_hz / x.frequency_hz)) > kBeside_octaves)
      if (const auto there = lobe_of(v, x, depth->at_hz);
          there && (!s.lobe || (there->misfit_db < s.lobe->misfit_db && !grown(*s.lobe, *there))))
        s.lobe = there;
    s.lobe_above = lobe_above(v, x);
    s.too_near = too_near(v, x);
    double sides = 0.0;
    double count = 0.0;
    for (const CaseTake& t : v.material->takes) {
      if (t.kind != CaseTake::Kind::kResponse || t.variant != v.variant || t.vertical_deg != 0.0 ||
          !t.driver.empty())
        continue;
      const std::vector<double>& level = v.levels.at(&t);
      if (!t.flipped.empty()) {
        // What it does most about the crossover: beside it one of the two leads, and little moves.
        if (t.horizontal_deg == 0.0)
          for (const double at : {x.frequency_hz, depth->at_hz})
            if (const double moved = mean_db(v, level, at / 1.08, at * 1.08) -
                                     mean_db(v, v.level_db, at / 1.08, at * 1.08);
                std::isfinite(moved) &&
                (!s.flipped_db || std::abs(moved) > std::abs(*s.flipped_db)))
              s.flipped_db = moved;
        continue;
      }
      const double h = std::abs(t.horizontal_deg);
      if (h < 9.0 || h > 46.0) continue;
      if (const auto side = depth_of(v, level, x.frequency_hz)) {
        sides += side->db;
        count += 1.0;
      }
    }
    if (count > 0.0) s.sides_db = sides / count;
    all.push_back(s);
  }
  return all;
}

void saw_distance(Claim& c, const CaseView& v, const SeenCrossing& seen) {
  if (seen.too_near)
    c.saw(0.1,
          fmt::format("from {:.2f} m the ways to {} and {} differ too much to tell",
                      v.axis_take->distance_m, seen.crossing->low, seen.crossing->high),
          ToldBy::kAxis);
}

void saw_alone(Claim& c, const CaseView& v, const SeenCrossing& seen) {
  if (!seen.feature) return;
  const auto& alone = v.features[*seen.feature].alone;
  if (!alone) return;
  if (*alone > 0.5)
    c.saw(0.1, "a driver alone has it", ToldBy::kAlone);
  else if (*alone < 0.3)
    c.saw(2.0, "no driver alone has it", ToldBy::kAlone);
}

void saw_bent(Claim& c, const CaseView& v, const SeenCrossing& seen) {
  for (const SeenFeature& f : v.features) {
    const double below = std::log2(seen.at_hz / f.at_hz);
    if (f.feature.height_db < 2.5 || f.q < 2.0 || below < 0.0 || below > 0.7) continue;
    if (f.leads != seen.crossing->low || f.wiggle_free.value_or(0.0) < 0.3) continue;
    c.saw(
        0.1,
        fmt::format("{} resonates at {}, which turns its phase", f.leads, frequency_text(f.at_hz)),
        ToldBy::kFreeAir);
    return;
  }
}

void place(Claim& claim, const SeenCrossing& seen) {
  claim.feature = seen.feature;
  if (seen.feature) return;
  claim.group = "crossing " + seen.crossing->low + " " + seen.crossing->high;
  claim.at_hz = seen.at_hz;
  claim.low_hz = seen.at_hz / 1.4;
  claim.high_hz = seen.at_hz * 1.4;
  claim.size_db = seen.depth_db;
}

}  // namespace lalometer
