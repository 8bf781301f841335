#include "diagnosis/view/meeting/untold.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include "acoustics/directivity/piston.h"
#include "base/constants.h"
#include "base/text.h"
#include "diagnosis/view/drivers.h"
#include "diagnosis/view/sound/features.h"
#include "diagnosis/view/view.h"

namespace lalometer {
namespace {

constexpr double kC = kSpeedOfSound20_m_s;
constexpr double kPerOctave = 24.0;

const FrequencyAxis& grid() {
  static const FrequencyAxis axis = FrequencyAxis::logarithmic(150.0, 15000.0, kPerOctave);
  return axis;
}

int place_of(const CaseDriver& d) {
  if (d.high) return 3;
  return d.role == "midrange" ? 2 : d.role == "subwoofer" ? 0 : 1;
}

/// One of each kind, from the lowest up; only those of a known size.
std::vector<const CaseDriver*> kinds_of(const CaseSubject& s) {
  std::vector<const CaseDriver*> kinds;
  for (const CaseDriver& d : s.drivers) {
    const std::vector<const CaseDriver*> same = alike(s, d.id);
    if (d.radius_m > 0.0 && same.front() == &d) kinds.push_back(&d);
  }
  std::stable_sort(kinds.begin(), kinds.end(), [](const CaseDriver* a, const CaseDriver* b) {
    if (place_of(*a) != place_of(*b)) return place_of(*a) < place_of(*b);
    return a->radius_m > b->radius_m;
  });
  return kinds;
}

/// Level on the grid, averaged over a third of an octave.
std::vector<double> broad_level(const CaseTake& t) {
  const std::vector<double> level = level_on(t.curve, grid());
  constexpr std::size_t kHalf = 4;
  std::vector<double> out(level.size(), std::numeric_limits<double>::quiet_NaN());
  for (std::size_t i = kHalf; i + kHalf < level.size(); ++i) {
    double sum = 0.0;
    for (std::size_t k = i - kHalf; k <= i + kHalf; ++k) sum += level[k];
    out[i] = sum / (2.0 * kHalf + 1.0);
  }
  return out;
}

/// What is sought between: not where the lower cone is small against the wavelength, nor far up.
struct Reach {
  double low_hz, guess_hz, high_hz;
};

Reach reach_of(const CaseDriver& low, const CaseDriver& high) {
  constexpr double kUsual_ka = 2.1;
  const double usual = kUsual_ka * kC / (2.0 * kPi * low.radius_m);
  if (!high.high) {
    const double guess = std::clamp(0.4 * usual, 150.0, 800.0);
    return {guess / 2.0, guess, guess * 2.5};
  }
  const double guess = std::clamp(usual, 1200.0, 4000.0);
  return {guess / 2.5, guess, std::min(guess * 2.5, 9000.0)};
}

const CaseTake* alone_of(const CaseMaterial& m, const std::string& driver) {
  for (const CaseTake& t : m.takes)
    if (t.kind == CaseTake::Kind::kResponse && t.driver == driver && t.horizontal_deg == 0.0 &&
        t.vertical_deg == 0.0 && t.condition.empty() && t.flipped.empty())
      return &t;
  return nullptr;
}

std::optional<double> by_alone_hz(const CaseMaterial& m, const CaseDriver& low,
                                  const CaseDriver& high, const Reach& reach) {
  const CaseTake* a = alone_of(m, low.id);
  const CaseTake* b = alone_of(m, high.id);
  if (a == nullptr || b == nullptr) return std::nullopt;
  const std::vector<double> below = broad_level(*a);
  const std::vector<double> above = broad_level(*b);
  const double drive_db = 20.0 * std::log10(a->drive_v / b->drive_v);
  std::optional<double> best;
  for (std::size_t i = 1; i < below.size(); ++i) {
    const double f = grid()[i];
    const double before = below[i - 1] - above[i - 1] - drive_db;
    const double after = below[i] - above[i] - drive_db;
    if (f < 0.6 * reach.low_hz || f > 1.6 * reach.high_hz || !(before > 0.0 && after <= 0.0))
      continue;
    if (!best ||
        std::abs(std::log(f / reach.guess_hz)) < std::abs(std::log(*best / reach.guess_hz)))
      best = f;
  }
  return best;
}

/// Of a side: what it lies under the axis, and the beams of both pistons there.
struct Side {
  std::vector<double> under_db, low, high;
};

std::vector<Side> sides_of(const CaseMaterial& m, const CaseDriver& low, const CaseDriver& high) {
  CaseView v;
  v.material = &m;
  v.variant = main_variant(m);
  for (const std::size_t i : axis_takes(m))
    if (m.takes[i].variant == v.variant) v.axis_take = &m.takes[i];
  std::vector<Side> all;
  if (v.axis_take == nullptr) return all;
  v.sample = v.axis_take->sample;
  const std::vector<double> axis = broad_level(*v.axis_take);
  for (const CaseTake* t : v.responses()) {
    const double deg = std::abs(t->horizontal_deg);
    if (t->vertical_deg != 0.0 || deg < 25.0 || deg > 75.0) continue;
    Side side{.under_db = broad_level(*t), .low = {}, .high = {}};
    for (std::size_t i = 0; i < axis.size(); ++i) {
      side.under_db[i] -= axis[i];
      const double angle = deg * kPi / 180.0;
      side.low.push_back(piston_directivity(low.radius_m, angle, grid()[i], kC));
      side.high.push_back(piston_directivity(high.radius_m, angle, grid()[i], kC));
    }
    all.push_back(std::move(side));
  }
  return all;
}

/// Mean distance between the sides and what two pistons would make of a crossover there, dB; a
/// front's edges shift each side by a few decibels.
/// @param sign  -1: with one of the two reversed
double misfit_db(const std::vector<Side>& sides, double crossover_hz, double top_hz, double sign) {
  constexpr double kFront_db = 3.0;
  constexpr double kDeepest = 0.08;  // no null is as deep as of pistons alike and in phase
  double sum = 0.0;
  double count = 0.0;
  for (const Side& side : sides) {
    std::vector<double> off;
    for (std::size_t i = 0; i < side.low.size(); ++i) {
      if (grid()[i] < 400.0 || grid()[i] > top_hz || !std::isfinite(side.under_db[i])) continue;
      const double ratio = std::pow(grid()[i] / crossover_hz, 4);
      const double axis = std::abs(1.0 + sign * ratio) + kDeepest * (1.0 + ratio);
      const double blend = std::abs(side.low[i] + sign * ratio * side.high[i]);
      off.push_back(side.under_db[i] -
                    20.0 * std::log10((blend + kDeepest * (1.0 + ratio)) / axis));
    }
    if (off.empty()) continue;
    std::vector<double> sorted = off;
    const auto middle = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2);
    std::nth_element(sorted.begin(), middle, sorted.end());
    const double shift = std::clamp(*middle, -kFront_db, kFront_db);
    for (const double each : off) sum += std::abs(each - shift);
    count += static_cast<double>(off.size());
  }
  return count > 0.0 ? sum / count : std::numeric_limits<double>::infinity();
}

std::optional<double> by_angles_hz(const CaseMaterial& m, const CaseDriver& low,
                                   const CaseDriver& high, const Reach& reach) {
  constexpr double kTold_db = 0.3;
  constexpr double kPrior_db = 0.3;  // an octave off what is usual
  std::optional<double> found;
  // Where a midrange takes over from a woofer neither beams.
  const std::vector<Side> sides = high.high ? sides_of(m, low, high) : std::vector<Side>();
  const double top = std::min(12000.0, 3.0 * reach.high_hz);
  double best = std::numeric_limits<double>::infinity();
  double worst = 0.0;
  double at = reach.guess_hz;
  for (double f = reach.low_hz; f <= reach.high_hz; f *= std::exp2(1.0 / kPerOctave)) {
    const double misfit = std::min(misfit_db(sides, f, top, 1.0), misfit_db(sides, f, top, -1.0));
    const double judged = misfit + kPrior_db * std::pow(std::log2(f / reach.guess_hz), 2);
    worst = std::max(worst, misfit);
    if (judged < best) {
      best = judged;
      at = f;
    }
  }
  if (!sides.empty() && worst - best > kTold_db) found = at;
  return found;
}

}  // namespace

std::vector<SoughtCrossover> sought_crossovers(const CaseMaterial& m) {
  std::vector<SoughtCrossover> all;
  if (!m.subject.crossovers.empty()) return all;
  const std::vector<const CaseDriver*> kinds = kinds_of(m.subject);
  for (std::size_t i = 1; i < kinds.size(); ++i) {
    const CaseDriver& low = *kinds[i - 1];
    const CaseDriver& high = *kinds[i];
    const Reach reach = reach_of(low, high);
    SoughtCrossover one{.crossover = {low.id, high.id, reach.guess_hz}};
    if (const auto alone = by_alone_hz(m, low, high, reach)) {
      one.crossover.frequency_hz = *alone;
      one.by = SoughtCrossover::By::kAlone;
    } else if (const auto sides = by_angles_hz(m, low, high, reach)) {
      one.crossover.frequency_hz = *sides;
      one.by = SoughtCrossover::By::kAngles;
    }
    all.push_back(std::move(one));
  }
  return all;
}

std::string spoken(const SoughtCrossover& s) {
  constexpr const char* kBy[] = {"each alone", "the angles", "their sizes"};
  return fmt::format("{} and {} are taken to meet near {}, by {}", s.crossover.low,
                     s.crossover.high, frequency_text(s.crossover.frequency_hz),
                     kBy[static_cast<std::size_t>(s.by)]);
}

}  // namespace lalometer
