#include "diagnosis/view/mains.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>
#include <vector>

namespace lalometer {
namespace {

constexpr double kLeast_db = 0.8;

/// Octaves from one row to the next, there.
double row_step(const Response& curve, double f) {
  const std::size_t at = curve.axis().bracket(f);
  return std::log2(curve.axis()[at + 1] / curve.axis()[at]);
}

/// How far to both sides of a multiple rows may have it: two rows of a sparse list.
double reach(double step) {
  return std::clamp(1.3 * step, 0.035, 0.06);
}

/// A parabola through points by least squares; nothing of fewer than five.
class Parabola {
 public:
  void add(double x, double y) { points_.push_back({x, y}); }
  /// Its height at x = 0 and what the points scatter about it.
  struct Fit {
    double height, scatter;
  };
  [[nodiscard]] std::optional<Fit> fit() const {
    if (points_.size() < 5) return std::nullopt;
    std::array<double, 5> s = {};
    std::array<double, 3> t = {};
    for (const auto& [x, y] : points_) {
      double power = 1.0;
      for (std::size_t k = 0; k < 5; ++k, power *= x) {
        s[k] += power;
        if (k < 3) t[k] += power * y;
      }
    }
    const auto det = [](double a, double b, double c, double d, double e, double f, double g,
                        double h, double i) {
      return a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g);
    };
    const double whole = det(s[0], s[1], s[2], s[1], s[2], s[3], s[2], s[3], s[4]);
    if (!(std::abs(whole) > 1e-18)) return std::nullopt;
    const double a = det(t[0], s[1], s[2], t[1], s[2], s[3], t[2], s[3], s[4]) / whole;
    const double b = det(s[0], t[0], s[2], s[1], t[1], s[3], s[2], t[2], s[4]) / whole;
    const double c = det(s[0], s[1], t[0], s[1], s[2], t[1], s[2], s[3], t[2]) / whole;
    double sum = 0.0;
    for (const auto& [x, y] : points_) sum += std::abs(y - (a + x * (b + x * c)));
    return Fit{a, sum / static_cast<double>(points_.size())};
  }

 private:
  struct Point {
    double x, y;
  };
  std::vector<Point> points_;
};

/// How far a list's rows by a frequency stand over the run of those around, dB. Nothing where rows
/// are sparse, 0 where they stand out no more than so many times what those scatter.
std::optional<double> stands_db(const Response& curve, double f, double times = 4.0) {
  if (f <= curve.axis().front() || f >= curve.axis().back()) return std::nullopt;
  const double step = row_step(curve, f);
  const double wide = std::max(0.17, 5.0 * step);
  double there = -1e9;
  Parabola around;
  const double highest = f * std::exp2(wide);
  const double lowest = std::max(f * std::exp2(-wide), curve.axis().front());
  for (std::size_t i = curve.axis().bracket(lowest); i < curve.size(); ++i) {
    if (curve.axis()[i] > highest) break;
    const double octaves = std::log2(curve.axis()[i] / f);
    if (std::abs(octaves) > wide) continue;
    if (std::abs(octaves) < std::max(0.022, 0.55 * step))
      there = std::max(there, curve.level_db(i));
    else if (std::abs(octaves) > reach(step))
      around.add(octaves, curve.level_db(i));
  }
  const auto run = around.fit();
  if (!run || there < -1e8) return std::nullopt;
  const double over = there - run->height;
  return over > times * run->scatter ? over : 0.0;
}

struct Spikes {
  int count = 0;
  double mean_db = 0.0;
};

Spikes spikes_at(const Response& curve, double mains_hz, double shifted_by) {
  Spikes s;
  for (int m = 1; m <= 7; ++m)
    if (const auto over = stands_db(curve, (m + shifted_by) * mains_hz);
        over && *over > kLeast_db) {
      s.mean_db = (s.mean_db * s.count + *over) / (s.count + 1);
      ++s.count;
    }
  return s;
}

struct Mains {
  double hz;
  Spikes spikes;
};

std::optional<Mains> mains_of(const Response& curve) {
  std::optional<Mains> most;
  for (const double hz : {50.0, 60.0}) {
    const Spikes on = spikes_at(curve, hz, 0.0);
    if (on.count < 3 || spikes_at(curve, hz, 0.5).count > 0) continue;
    if (!most || on.count > most->spikes.count) most = {hz, on};
  }
  return most;
}

}  // namespace

SeenMains mains_in(const CaseMaterial& material) {
  SeenMains seen;
  for (const CaseTake& t : material.takes) {
    const auto mains = mains_of(t.curve);
    if (!mains) continue;
    ++seen.takes;
    if (mains->spikes.count <= seen.count) continue;
    seen.count = mains->spikes.count;
    seen.mean_db = mains->spikes.mean_db;
    seen.mains_hz = mains->hz;
    seen.name = t.name;
    seen.take = t.id;
  }
  return seen;
}

std::optional<double> told_mains_hz(const SeenMains& seen) {
  if (seen.count < 4 || seen.takes < 2) return std::nullopt;
  return seen.mains_hz;
}

Response without_mains(const Response& curve, std::optional<double> told_hz) {
  constexpr int kMultiples = 10;
  constexpr double kByItself_db = 0.5;
  const auto mains = mains_of(curve);
  if (!mains && !told_hz) return curve;
  const double mains_hz = mains ? mains->hz : *told_hz;
  std::array<bool, kMultiples + 1> leave = {};
  for (int m = 1; m <= kMultiples; ++m)
    leave[static_cast<std::size_t>(m)] =
        mains.has_value() || stands_db(curve, m * mains_hz, 2.0).value_or(0.0) > kByItself_db;
  std::vector<double> hz;
  std::vector<std::complex<double>> values;
  for (std::size_t i = 0; i < curve.size(); ++i) {
    const double f = curve.axis()[i];
    const double multiple = std::round(f / mains_hz);
    if (multiple >= 1.0 && multiple <= kMultiples && leave[static_cast<std::size_t>(multiple)] &&
        i + 1 < curve.size() &&
        std::abs(std::log2(f / (multiple * mains_hz))) < reach(row_step(curve, f)))
      continue;
    hz.push_back(f);
    values.push_back(curve.value(i));
  }
  auto axis = FrequencyAxis::make(std::move(hz));
  if (!axis) return curve;
  const auto left = Response::make(*std::move(axis), std::move(values), curve.quantity(),
                                   curve.valid(), curve.has_phase());
  return left ? *left : curve;
}

}  // namespace lalometer
