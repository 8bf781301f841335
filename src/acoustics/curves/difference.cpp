#include "acoustics/curves/difference.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace lalometer {
namespace {

/// Mean over log frequency, by the trapezoidal rule.
double log_mean(const std::vector<double>& hz, const std::vector<double>& y) {
  double sum = 0.0;
  double width = 0.0;
  for (std::size_t i = 0; i + 1 < hz.size(); ++i) {
    const double step = std::log(hz[i + 1] / hz[i]);
    sum += 0.5 * (y[i] + y[i + 1]) * step;
    width += step;
  }
  return width > 0.0 ? sum / width : y.empty() ? 0.0 : y.front();
}

double log_rms(const std::vector<double>& hz, std::vector<double> y) {
  const double mean = log_mean(hz, y);
  for (double& v : y) v = (v - mean) * (v - mean);
  return std::sqrt(log_mean(hz, y));
}

}  // namespace

std::optional<CurveDifference> difference_of(const Response& of, const Response& from) {
  const ValidRange shared = intersect(intersect(of.valid(), from.valid()),
                                      {std::max(of.axis().front(), from.axis().front()),
                                       std::min(of.axis().back(), from.axis().back())});
  CurveDifference d;
  const bool known = !of.spread().empty() && !from.spread().empty();
  for (std::size_t i = 0; i < of.size(); ++i) {
    const double f = of.axis()[i];
    if (!shared.contains(f)) continue;
    const double other = std::abs(value_at(from, f));
    if (!std::isfinite(other)) continue;
    d.frequency_hz.push_back(f);
    d.level_db.push_back(of.level_db(i) - to_level_db(other, level_reference(of.quantity())));
    if (known)
      d.half_width_db.push_back(
          std::hypot(of.uncertainty_db(i), uncertainty_db_at(from, f).value_or(0.0)));
  }
  if (d.frequency_hz.size() < 2) return std::nullopt;
  return d;
}

std::vector<Departure> departures(const std::vector<double>& hz, const std::vector<double>& y,
                                  double least_db) {
  std::vector<Departure> found;
  if (hz.size() < 3) return found;
  const double mean = log_mean(hz, y);
  // An extreme counts once the curve has come back from it by `least_db`; the ends are none.
  std::size_t high = 0;
  std::size_t low = 0;
  int going = 0;  // 1: up, -1: down, 0: not known yet
  for (std::size_t i = 1; i < hz.size(); ++i) {
    if (y[i] > y[high]) high = i;
    if (y[i] < y[low]) low = i;
    if (going >= 0 && y[high] - y[i] >= least_db) {
      if (high > 0) found.push_back({hz[high], y[high] - mean});
      going = -1;
      low = i;
    } else if (going <= 0 && y[i] - y[low] >= least_db) {
      if (low > 0) found.push_back({hz[low], y[low] - mean});
      going = 1;
      high = i;
    }
  }
  return found;
}

Explained explained_by(const CurveDifference& d, const std::vector<double>& model_db,
                       double least_db) {
  Explained out;
  std::vector<double> left(d.level_db.size());
  for (std::size_t i = 0; i < left.size(); ++i) left[i] = d.level_db[i] - model_db[i];
  out.total_db = log_rms(d.frequency_hz, d.level_db);
  out.left_db = log_rms(d.frequency_hz, left);
  out.explained_db =
      std::sqrt(std::max(0.0, out.total_db * out.total_db - out.left_db * out.left_db));
  const auto predicted = departures(d.frequency_hz, model_db, 0.5 * least_db);
  for (const Departure& one : departures(d.frequency_hz, d.level_db, least_db)) {
    Explained::Pair pair{one, std::nullopt};
    double nearest = 0.2;
    for (const Departure& other : predicted) {
      const double away = std::abs(std::log2(other.frequency_hz / one.frequency_hz));
      if (away >= nearest || (other.level_db > 0.0) != (one.level_db > 0.0)) continue;
      nearest = away;
      pair.predicted = other;
    }
    out.pairs.push_back(pair);
  }
  return out;
}

}  // namespace lalometer
