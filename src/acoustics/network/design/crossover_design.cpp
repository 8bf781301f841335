#include "acoustics/network/design/crossover_design.h"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <map>
#include <optional>

#include "acoustics/network/design/design_grid.h"
#include "acoustics/network/design/ladder_fit.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

using namespace design;

constexpr double kWithin_db = 1.0;
constexpr double kSlope_db = 2.0;
constexpr double kPhase_deg = 35.0;
constexpr std::size_t kTogether = 10;  // pairs that are fitted together

/// A ladder of one side, by whichever shape.
struct Candidate {
  bool is_low = true;
  LowShape low = {};
  HighShape high = {};
  LadderFit fit = {};
  [[nodiscard]] int parts() const { return is_low ? low.parts() : high.parts(); }
  [[nodiscard]] Ladder ladder(const LadderTheta& theta) const {
    return is_low ? ladder_of(low, theta) : ladder_of(high, theta);
  }
  [[nodiscard]] std::vector<ElementRange> ranges() const {
    return is_low ? ranges_of(low) : ranges_of(high);
  }
};

/// Two ladders together.
struct Pair {
  const Candidate* low = nullptr;
  const Candidate* high = nullptr;
  double sign = 1.0;
  LadderTheta theta = {};  ///< low's, then high's
  Deviation deviation = {};
  double low_slope_db = 0.0, high_slope_db = 0.0, cost = 1e300, minimum_ohm = 0.0;
  double off_phase_deg = 0.0;  ///< mean, as much as both play
  double exact_db = 0.0;       ///< its rms before its values were rounded

  [[nodiscard]] int parts() const { return low->parts() + high->parts(); }
  [[nodiscard]] bool good() const {
    return std::abs(deviation.largest_db) <= kWithin_db && low_slope_db < kSlope_db &&
           high_slope_db < kSlope_db && off_phase_deg < kPhase_deg;
  }
  [[nodiscard]] std::pair<Ladder, Ladder> ladders(const LadderTheta& t) const {
    const auto split = t.begin() + static_cast<std::ptrdiff_t>(low->ranges().size());
    return {low->ladder({t.begin(), split}), high->ladder({split, t.end()})};
  }
};

std::vector<double> residual_of(const Grid& g, const Pair& pair, const LadderTheta& theta) {
  const auto [low, high] = pair.ladders(theta);
  std::vector<Complex> admittance(g.hz.size(), 0.0);
  const auto a = through(low, g.low, g.hz, &admittance);
  const auto b = through(high, g.high, g.hz, &admittance);
  std::vector<double> r;
  add_slope(r, g, g.low, true, a, 0.4);
  add_slope(r, g, g.high, false, b, 0.4);
  (void)deviation_of(g, a, b, pair.sign, &r);
  for (std::size_t i = 0; i < g.hz.size(); ++i)
    if (g.near(i))
      r.push_back(1.5 * phase_weight(a[i], b[i]) * off_phase(g, i, a[i], pair.sign * b[i]));
  // An amplifier must be able to drive it.
  double lowest = 1e300;
  for (const Complex z : g.low.ohm) lowest = std::min(lowest, std::abs(z));
  for (const Complex y : admittance)
    r.push_back(10.0 * std::max(0.0, std::log(0.6 * lowest * std::abs(y))));
  return r;
}

void judge(const Grid& g, Pair& pair) {
  const auto [low, high] = pair.ladders(pair.theta);
  std::vector<Complex> admittance(g.hz.size(), 0.0);
  const auto a = through(low, g.low, g.hz, &admittance);
  const auto b = through(high, g.high, g.hz, &admittance);
  pair.deviation = deviation_of(g, a, b, pair.sign);
  pair.low_slope_db = slope_rms(g, g.low, a);
  pair.high_slope_db = slope_rms(g, g.high, b);
  double weights = 0.0;
  pair.off_phase_deg = 0.0;
  for (std::size_t i = 0; i < g.hz.size(); ++i) {
    if (!g.near(i)) continue;
    const double weight = phase_weight(a[i], b[i]);
    weights += weight;
    pair.off_phase_deg += weight * 2.0 *
                          std::asin(std::min(1.0, 0.5 * off_phase(g, i, a[i], pair.sign * b[i]))) *
                          180.0 / kPi;
  }
  pair.off_phase_deg /= weights;
  pair.cost = 0.0;
  for (const double x : residual_of(g, pair, pair.theta)) pair.cost += x * x;
  pair.minimum_ohm = 1e300;
  for (const Complex y : admittance)
    pair.minimum_ohm = std::min(pair.minimum_ohm, 1.0 / std::abs(y));
}

void refine(const Grid& g, Pair& pair, const std::stop_token& stop) {
  std::vector<ElementRange> ranges = pair.low->ranges();
  const auto more = pair.high->ranges();
  ranges.insert(ranges.end(), more.begin(), more.end());
  pair.theta = fitted_ladder([&](const LadderTheta& t) { return residual_of(g, pair, t); },
                             pair.theta, ranges, 40, stop)
                   .theta;
  judge(g, pair);
}

/// Preferred values, one step to each side tried for each until nothing gets better.
void round_to(PartSeries series, const Grid& g, Pair& pair) {
  if (series == PartSeries::kAny) return;
  for (double& t : pair.theta) t = std::log(nearest_of(series, std::exp(t)));
  judge(g, pair);
  for (int round = 0; round < 3; ++round) {
    bool moved = false;
    for (std::size_t k = 0; k < pair.theta.size(); ++k)
      for (const int step : {-1, 1}) {
        Pair other = pair;
        other.theta[k] = std::log(next_of(series, std::exp(pair.theta[k]), step));
        judge(g, other);
        if (other.cost >= pair.cost) continue;
        pair = std::move(other);
        moved = true;
      }
    if (!moved) break;
  }
}

std::vector<Candidate> candidates(const Grid& g, const CrossoverWish& w) {
  std::vector<Candidate> all;
  const int first = std::max(1, w.order - 2);
  for (int order = first; order <= w.order; ++order) {
    for (const bool trapped : {false, true})
      for (const bool damped : {false, true})
        for (const bool flattened : {false, true}) {
          if (damped && order < 2) continue;
          Candidate c;
          c.low = {order, damped, flattened, trapped};
          all.push_back(c);
        }
    for (const bool trapped : {false, true})
      for (const PadShape pad :
           {PadShape::kNone, PadShape::kSeries, PadShape::kFront, PadShape::kBoth}) {
        Candidate c;
        c.is_low = false;
        c.high = {order, pad, trapped};
        all.push_back(c);
      }
  }
  const auto at = static_cast<std::size_t>(
      std::lower_bound(g.hz.begin(), g.hz.end(), g.crossing_hz) - g.hz.begin());
  const double low_ohm = std::abs(g.low.ohm[at]), high_ohm = std::abs(g.high.ohm[at]);
  const double coil_h = std::max(g.low.ohm.back().imag(), 0.0) / (2.0 * kPi * g.hz.back());
  const double ratio = std::pow(
      10.0, (g.level_db - mean_db(g, g.high, g.crossing_hz * 1.2, g.crossing_hz * 2.0)) / 20.0);
  w.parallel(all.size(), [&](std::size_t i) {
    Candidate& c = all[i];
    if (w.stop.stop_requested()) return;
    const Side& side = c.is_low ? g.low : g.high;
    const double trap = trouble_hz(g, side, c.is_low);
    LadderTheta start = c.is_low ? first_values(c.low, g.crossing_hz, low_ohm, coil_h, trap)
                                 : first_values(c.high, g.crossing_hz, high_ohm, ratio, trap);
    const auto residual = [&](const LadderTheta& t) {
      std::vector<double> r;
      add_slope(r, g, side, c.is_low, through(c.ladder(t), side, g.hz), 1.0);
      return r;
    };
    c.fit = fitted_ladder(residual, std::move(start), c.ranges(), 40, w.stop);
  });
  return all;
}

/// Pairs within the number of parts, those that promise most by themselves first.
std::vector<Pair> pairs_of(const Grid& g, const std::vector<Candidate>& all, int most) {
  std::vector<Pair> pairs;
  for (const Candidate& low : all) {
    if (!low.is_low) continue;
    for (const Candidate& high : all) {
      if (high.is_low || low.parts() + high.parts() > most) continue;
      for (const double sign : {1.0, -1.0}) {
        Pair p{.low = &low, .high = &high, .sign = sign, .theta = low.fit.theta};
        p.theta.insert(p.theta.end(), high.fit.theta.begin(), high.fit.theta.end());
        judge(g, p);
        pairs.push_back(std::move(p));
      }
    }
  }
  std::stable_sort(pairs.begin(), pairs.end(),
                   [](const Pair& a, const Pair& b) { return a.cost < b.cost; });
  return pairs;
}

/// The fewest parts that do, else the best of all.
std::optional<Pair> best_pair(const Grid& g, std::vector<Pair> pairs, const CrossoverWish& w) {
  // Of each number of parts the most promising.
  std::vector<Pair> chosen;
  std::map<int, std::size_t> counted;
  for (Pair& p : pairs)
    if (counted[p.parts()]++ < kTogether / 2) chosen.push_back(std::move(p));
  std::atomic<std::size_t> done = 0;
  w.parallel(chosen.size(), [&](std::size_t i) {
    if (!w.stop.stop_requested()) {
      refine(g, chosen[i], w.stop);
      chosen[i].exact_db = chosen[i].deviation.rms_db;
      round_to(w.series, g, chosen[i]);
    }
    if (w.progress)
      w.progress(0.3 + 0.65 * static_cast<double>(++done) / static_cast<double>(chosen.size()));
  });
  const Pair* best = nullptr;
  for (const Pair& p : chosen) {
    const auto better = [](const Pair& a, const Pair& b) {
      if (a.good() != b.good()) return a.good();
      if (a.good() && a.parts() != b.parts()) return a.parts() < b.parts();
      return a.cost < b.cost;
    };
    if (best == nullptr || better(p, *best)) best = &p;
  }
  return best == nullptr ? std::nullopt : std::optional(*best);
}

std::string verdict_of(const Grid& g, const Pair& p, const CrossoverWish& w) {
  if (p.good())
    return fmt::format("Possible with {} parts: within {:.1f} dB of the target from {} to {}.",
                       p.parts(), std::abs(p.deviation.largest_db),
                       frequency_text(g.crossing_hz / 2.0), frequency_text(g.crossing_hz * 2.0));
  if (std::abs(p.deviation.largest_db) > kWithin_db)
    return fmt::format(
        "Not possible with {} parts of a simple passive network: at best the sum is {:.1f} dB {} "
        "its target at {}. Another frequency or slope, or filters with an amplifier each.",
        w.most_parts, std::abs(p.deviation.largest_db),
        p.deviation.largest_db > 0.0 ? "above" : "below",
        frequency_text(p.deviation.largest_at_hz));
  if (p.off_phase_deg >= kPhase_deg)
    return fmt::format(
        "The sum keeps to its target on this axis, but the drivers stand {:.0f}° apart where they "
        "meet: off the axis it will not. Another place of the centres, a delay, or another slope.",
        p.off_phase_deg);
  const bool lower = p.low_slope_db > p.high_slope_db;
  return fmt::format(
      "The sum keeps to its target, but {} does not follow its slope ({:.1f} dB rms): their phases "
      "make up for it on this axis alone.",
      lower ? w.low : w.high, std::max(p.low_slope_db, p.high_slope_db));
}

}  // namespace

Result<CrossoverDesign> crossover_design(const std::vector<NetworkDriver>& drivers,
                                         const CrossoverWish& told) {
  CrossoverWish w = told;
  if (w.most_parts <= 0) w.most_parts = w.order <= 2 ? 6 : 9;
  if (w.low == w.high) return bad_input("A crossover needs two drivers.");
  CrossoverDesign out;
  out.network.branches = {{w.low}, {w.high}};
  // Says what is missing, by name.
  if (const auto sums = network_sum(out.network, drivers); !sums)
    return tl::unexpected(sums.error());
  const auto of = [&](const std::string& id) {
    return std::find_if(drivers.begin(), drivers.end(),
                        [&](const NetworkDriver& d) { return d.id == id; });
  };
  const auto grid = grid_of(*of(w.low), *of(w.high), w);
  if (!grid) return tl::unexpected(grid.error());
  const Grid& g = *grid;
  const std::vector<Candidate> all = candidates(g, w);
  if (w.stop.stop_requested()) return cancelled();
  if (w.progress) w.progress(0.3);
  auto best = best_pair(g, pairs_of(g, all, w.most_parts), w);
  if (w.stop.stop_requested()) return cancelled();
  if (!best)
    return bad_input(
        fmt::format("No network of order {} has as few as {} parts.", w.order, w.most_parts));
  const auto [low, high] = best->ladders(best->theta);
  out.network.branches[0].ladder = low;
  out.network.branches[1].ladder = high;
  out.network.branches[1].polarity = best->sign > 0.0 ? 1 : -1;
  out.parts = best->parts();
  out.deviation_db = best->deviation.rms_db;
  out.largest_db = best->deviation.largest_db;
  out.low_slope_db = best->low_slope_db;
  out.high_slope_db = best->high_slope_db;
  out.off_phase_deg = best->off_phase_deg;
  out.rounding_cost_db = best->deviation.rms_db - best->exact_db;
  out.minimum_ohm = best->minimum_ohm;
  out.possible = best->good();
  out.verdict = verdict_of(g, *best, w);
  if (w.progress) w.progress(1.0);
  return out;
}

}  // namespace lalometer
