#include "acoustics/equaliser/equalise.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <optional>

namespace lalometer {
namespace {

constexpr double kLowestQ = 0.5;
constexpr double kHighestQ = 6.0;
constexpr double kEnough = 0.03;
constexpr double kAloneBoost_db = 0.3;
constexpr double kPointsPerOctave = 24.0;

/// What is to be mended, on its own axis.
struct Problem {
  std::vector<double> hz;
  std::vector<double> wanted;  ///< gain that would bring it to the target, dB
  std::vector<double> weight;  ///< 0 where it is left alone
  std::vector<bool> within;    ///< the limits; beyond them it is left alone too
  EqualiseLimits limits;
};

Problem problem_of(const FrequencyAxis& axis, const std::vector<double>& level,
                   const std::vector<double>& target, const std::vector<LeftAlone>& alone,
                   const EqualiseLimits& limits) {
  Problem p;
  p.limits = limits;
  // Three octaves beyond, so that no filter's skirt lifts what is not to be lifted.
  const double bottom = std::max(limits.from_hz, axis.front());
  const double top = std::min({limits.to_hz, axis.back(), 0.45 * limits.sample_rate_hz});
  double lowest = bottom;
  while (lowest > std::max(limits.from_hz / 8.0, axis.front() * 1.03))
    lowest /= std::exp2(1.0 / kPointsPerOctave);
  const double highest = std::min({8.0 * limits.to_hz, axis.back(), 0.45 * limits.sample_rate_hz});
  for (double f = lowest; f <= highest; f *= std::exp2(1.0 / kPointsPerOctave)) {
    p.hz.push_back(f);
    p.wanted.push_back(value_between(axis, target, f) - value_between(axis, level, f));
    const bool left = std::any_of(alone.begin(), alone.end(), [&](const LeftAlone& a) {
      return f >= a.low_hz && f <= a.high_hz;
    });
    p.within.push_back(f >= bottom * (1.0 - 1e-9) && f <= top * (1.0 + 1e-9));
    p.weight.push_back(left || !p.within.back() ? 0.0 : 1.0);
  }
  return p;
}

double gain_at(const Problem& p, const std::vector<BandFilter>& filters, std::size_t i) {
  return gain_db(filters, p.hz[i], p.limits.sample_rate_hz);
}

/// Squared departures, and what a boost where none may be costs.
double cost_of(const Problem& p, const std::vector<BandFilter>& filters) {
  double sum = 0.0;
  for (std::size_t i = 0; i < p.hz.size(); ++i) {
    const double gain = gain_at(p, filters, i);
    sum += p.weight[i] * std::pow(p.wanted[i] - gain, 2);
    const double most = p.weight[i] > 0.0 ? p.limits.max_boost_db : kAloneBoost_db;
    if (gain > most) sum += 36.0 * std::pow(gain - most, 2);
  }
  return sum;
}

void clamp(const Problem& p, BandFilter& f) {
  f.frequency_hz = std::clamp(f.frequency_hz, std::max(p.limits.from_hz, p.hz.front()),
                              std::min(p.limits.to_hz, p.hz.back()));
  f.gain_db = std::clamp(f.gain_db, -p.limits.max_cut_db, p.limits.max_boost_db);
  f.q = std::clamp(f.q, kLowestQ, kHighestQ);
}

/// All numbers of all filters by Levenberg and Marquardt, with differences for slopes.
void refine(const Problem& p, std::vector<BandFilter>& filters) {
  const auto n = static_cast<Eigen::Index>(3 * filters.size());
  const auto rows = static_cast<Eigen::Index>(2 * p.hz.size());
  const auto residuals = [&](const std::vector<BandFilter>& fs) {
    Eigen::VectorXd r(rows);
    for (std::size_t i = 0; i < p.hz.size(); ++i) {
      const double gain = gain_at(p, fs, i);
      const double most = p.weight[i] > 0.0 ? p.limits.max_boost_db : kAloneBoost_db;
      r(static_cast<Eigen::Index>(2 * i)) = p.weight[i] * (p.wanted[i] - gain);
      r(static_cast<Eigen::Index>(2 * i + 1)) = 6.0 * std::max(0.0, gain - most);
    }
    return r;
  };
  const auto moved = [&](std::vector<BandFilter> fs, const Eigen::VectorXd& by) {
    for (std::size_t k = 0; k < fs.size(); ++k) {
      const auto at = static_cast<Eigen::Index>(3 * k);
      fs[k].frequency_hz *= std::exp(by(at));
      fs[k].gain_db += by(at + 1);
      fs[k].q *= std::exp(by(at + 2));
      clamp(p, fs[k]);
    }
    return fs;
  };
  double damping = 1e-2;
  double cost = cost_of(p, filters);
  for (int round = 0; round < 25; ++round) {
    const Eigen::VectorXd r = residuals(filters);
    Eigen::MatrixXd slope(rows, n);
    const double steps[] = {1e-3, 1e-3, 1e-3};
    for (Eigen::Index k = 0; k < n; ++k) {
      Eigen::VectorXd by = Eigen::VectorXd::Zero(n);
      by(k) = steps[k % 3];
      slope.col(k) = (residuals(moved(filters, by)) - r) / steps[k % 3];
    }
    const Eigen::MatrixXd square = slope.transpose() * slope;
    const Eigen::VectorXd down = -slope.transpose() * r;
    bool better = false;
    for (int tries = 0; tries < 6 && !better; ++tries) {
      Eigen::MatrixXd damped = square;
      for (Eigen::Index k = 0; k < n; ++k) damped(k, k) += damping * (square(k, k) + 1e-3);
      Eigen::VectorXd by = damped.ldlt().solve(down);
      for (Eigen::Index k = 0; k < n; ++k) by(k) = std::clamp(by(k), -0.5, 0.5);
      const std::vector<BandFilter> next = moved(filters, by);
      const double now = cost_of(p, next);
      if (now < cost) {
        better = cost - now > 1e-6 * cost;
        filters = next;
        cost = now;
        damping = std::max(damping * 0.3, 1e-6);
        break;
      }
      damping *= 4.0;
    }
    if (!better) return;
  }
}

/// The single filter that mends most of what is left.
std::optional<BandFilter> next_filter(const Problem& p, const std::vector<BandFilter>& filters) {
  const double before = cost_of(p, filters);
  double best = before;
  std::optional<BandFilter> found;
  std::vector<BandFilter> with = filters;
  with.emplace_back();
  for (std::size_t i = 0; i < p.hz.size(); i += 2) {
    if (p.weight[i] == 0.0) continue;
    const double missing = p.wanted[i] - gain_at(p, filters, i);
    if (std::abs(missing) < p.limits.least_db) continue;
    for (const double q : {0.7, 1.4, 2.8, 5.0}) {
      with.back() = {BiquadKind::kPeaking, p.hz[i], missing, q};
      clamp(p, with.back());
      const double cost = cost_of(p, with);
      if (cost >= best) continue;
      best = cost;
      found = with.back();
    }
  }
  if (!found || before - best < kEnough * before) return std::nullopt;
  return found;
}

double deviation(const Problem& p, const std::vector<BandFilter>& filters) {
  double sum = 0.0;
  double count = 0.0;
  for (std::size_t i = 0; i < p.hz.size(); ++i) {
    if (!p.within[i]) continue;
    sum += std::pow(p.wanted[i] - gain_at(p, filters, i), 2);
    count += 1.0;
  }
  return count > 0.0 ? std::sqrt(sum / count) : 0.0;
}

/// Boosts are lowered together until their sum keeps its limit everywhere.
void keep_limit(const Problem& p, std::vector<BandFilter>& filters) {
  for (int round = 0; round < 40; ++round) {
    double over = 0.0;
    for (double f = 20.0; f < 0.49 * p.limits.sample_rate_hz; f *= std::exp2(1.0 / 48.0))
      over = std::max(over, gain_db(filters, f, p.limits.sample_rate_hz) - p.limits.max_boost_db);
    if (over < 1e-3) return;
    for (BandFilter& f : filters)
      if (f.gain_db > 0.0) f.gain_db *= 0.95;
  }
}

}  // namespace

Equalisation equalised(const FrequencyAxis& axis, const std::vector<double>& level_db,
                       const std::vector<double>& target_db, const std::vector<LeftAlone>& alone,
                       const EqualiseLimits& limits) {
  Equalisation out;
  const Problem p = problem_of(axis, level_db, target_db, alone, limits);
  if (p.hz.size() > 3) {
    out.deviation_before_db = deviation(p, {});
    while (static_cast<int>(out.filters.size()) < limits.filters) {
      const auto next = next_filter(p, out.filters);
      if (!next) break;
      out.filters.push_back(*next);
      refine(p, out.filters);
    }
    std::erase_if(out.filters,
                  [&](const BandFilter& f) { return std::abs(f.gain_db) < limits.least_db; });
    if (!out.filters.empty()) refine(p, out.filters);
    keep_limit(p, out.filters);
    std::sort(out.filters.begin(), out.filters.end(), [](const BandFilter& a, const BandFilter& b) {
      return a.frequency_hz < b.frequency_hz;
    });
    out.deviation_after_db = deviation(p, out.filters);
  }
  for (std::size_t i = 0; i < axis.size(); ++i)
    out.after_db.push_back(level_db[i] + (axis[i] < 0.499 * limits.sample_rate_hz
                                              ? gain_db(out.filters, axis[i], limits.sample_rate_hz)
                                              : 0.0));
  return out;
}

}  // namespace lalometer
