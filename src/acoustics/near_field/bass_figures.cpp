#include "acoustics/near_field/bass_figures.h"

#include <algorithm>
#include <cmath>

#include "base/constants.h"

namespace lalometer {

std::optional<Estimate> fall_off_hz(const Response& curve, double reference_db, double fall_db,
                                    double level_deviation_db) {
  const FrequencyAxis& axis = curve.axis();
  const double wanted = reference_db - fall_db;
  // From where it certainly plays: the highest point of the band below 500 Hz or the curve's end.
  std::size_t top = 0;
  double highest = -1e9;
  for (std::size_t i = 0; i < axis.size() && axis[i] < 500.0; ++i) {
    if (!curve.valid().contains(axis[i])) continue;
    if (curve.level_db(i) > highest) {
      highest = curve.level_db(i);
      top = i;
    }
  }
  if (highest < wanted) return std::nullopt;
  for (std::size_t i = top; i > 0; --i) {
    if (!curve.valid().contains(axis[i - 1])) return std::nullopt;
    const double above = curve.level_db(i);
    const double below = curve.level_db(i - 1);
    if (below > wanted) continue;
    const double share = (above - wanted) / (above - below);
    const double f = axis[i] * std::pow(axis[i - 1] / axis[i], share);
    // The slope over a sixth of an octave to each side.
    const auto level_at = [&](double at) {
      return to_level_db(std::abs(value_at(curve, std::clamp(at, axis.front(), axis.back()))),
                         level_reference(curve.quantity()));
    };
    const double slope = std::max(
        1.0, (level_at(f * std::exp2(1.0 / 6.0)) - level_at(f * std::exp2(-1.0 / 6.0))) * 3.0);
    return from_relative(f, level_deviation_db / slope * std::log(2.0));
  }
  return std::nullopt;
}

std::optional<Estimate> tuning_by_movements(const FrequencyAxis& axis,
                                            const std::vector<std::complex<double>>& cone,
                                            const std::vector<std::complex<double>>& port,
                                            double least_hz) {
  constexpr double kFrom = 0.75;
  constexpr double kTo = 1.35;
  std::vector<double> x;
  std::vector<double> y;
  for (std::size_t i = 0; i < axis.size(); ++i) {
    if (axis[i] < kFrom * least_hz || axis[i] > kTo * least_hz) continue;
    x.push_back(axis[i] * axis[i]);
    y.push_back((cone[i] / port[i]).real());
  }
  const auto n = static_cast<double>(x.size());
  if (n < 4.0) return std::nullopt;
  double mx = 0.0, my = 0.0, sxx = 0.0, sxy = 0.0;
  for (std::size_t i = 0; i < x.size(); ++i) {
    mx += x[i] / n;
    my += y[i] / n;
  }
  for (std::size_t i = 0; i < x.size(); ++i) {
    sxx += (x[i] - mx) * (x[i] - mx);
    sxy += (x[i] - mx) * (y[i] - my);
  }
  const double slope = sxy / sxx;
  // It rises from below zero; a crossing elsewhere is none of a port's.
  if (!(slope > 0.0)) return std::nullopt;
  const double at = mx - my / slope;
  if (!(at > 0.0)) return std::nullopt;
  double square = 0.0;
  for (std::size_t i = 0; i < x.size(); ++i) square += std::pow(y[i] - my - slope * (x[i] - mx), 2);
  const double deviation = std::sqrt(square / (n - 2.0) * (1.0 / n + std::pow(at - mx, 2) / sxx));
  const double f = std::sqrt(at);
  // Neighbouring points hang together, and fB itself moves with the losses: half a percent.
  constexpr double kTogether = 4.0;
  const double relative = kTwoSided95 * std::sqrt(kTogether) * deviation / slope / (2.0 * at);
  return from_relative(f, std::hypot(relative, 0.005));
}

std::optional<double> least_movement_hz(const Response& cone, double low_hz, double high_hz) {
  constexpr double kDeep_db = 4.0;
  const FrequencyAxis& axis = cone.axis();
  std::optional<std::size_t> best;
  for (std::size_t i = 1; i + 1 < axis.size(); ++i) {
    if (axis[i] < low_hz || axis[i] > high_hz) continue;
    if (!(cone.level_db(i) <= cone.level_db(i - 1) && cone.level_db(i) < cone.level_db(i + 1)))
      continue;
    double left = cone.level_db(i);
    double right = left;
    for (std::size_t k = 0; k < axis.size(); ++k) {
      if (axis[k] < axis[i] && axis[k] > 0.4 * axis[i]) left = std::max(left, cone.level_db(k));
      if (axis[k] > axis[i] && axis[k] < 2.5 * axis[i]) right = std::max(right, cone.level_db(k));
    }
    if (std::min(left, right) < cone.level_db(i) + kDeep_db) continue;
    if (!best || cone.level_db(i) < cone.level_db(*best)) best = i;
  }
  if (!best) return std::nullopt;
  const double a = cone.level_db(*best - 1);
  const double b = cone.level_db(*best);
  const double c = cone.level_db(*best + 1);
  const double bend = a - 2.0 * b + c;
  const double off = bend > 0.0 ? std::clamp(0.5 * (a - c) / bend, -0.5, 0.5) : 0.0;
  const double step = std::sqrt(axis[*best + 1] / axis[*best - 1]);
  return axis[*best] * std::pow(step, off);
}

std::vector<double> mean_run(const FrequencyAxis& axis, const std::vector<double>& values,
                             int bands_per_octave) {
  const double reach = std::exp2(0.5 / bands_per_octave) * (1.0 + 1e-9);
  std::vector<double> sums(values.size() + 1, 0.0);
  for (std::size_t i = 0; i < values.size(); ++i) sums[i + 1] = sums[i] + values[i];
  std::vector<double> run(values.size());
  std::size_t from = 0;
  std::size_t to = 0;
  for (std::size_t i = 0; i < values.size(); ++i) {
    while (axis[from] < axis[i] / reach) ++from;
    while (to + 1 < values.size() && axis[to + 1] <= axis[i] * reach) ++to;
    // The same to both sides, so that the ends do not lean.
    const std::size_t side = std::min(i - from, to - i);
    run[i] = (sums[i + side + 1] - sums[i - side]) / static_cast<double>(2 * side + 1);
  }
  return run;
}

Response level_run(const Response& curve, int bands_per_octave) {
  std::vector<double> logs(curve.size());
  for (std::size_t i = 0; i < logs.size(); ++i)
    logs[i] = std::log(std::max(curve.magnitude(i), 1e-30));
  const std::vector<double> run = mean_run(curve.axis(), logs, bands_per_octave);
  std::vector<std::complex<double>> values(curve.size());
  for (std::size_t i = 0; i < values.size(); ++i) values[i] = std::exp(run[i]);
  return *Response::make(curve.axis(), std::move(values), curve.quantity(), curve.valid(), false);
}

std::vector<StandingOut> tops(const Response& curve, double low_hz, double high_hz,
                              double least_db) {
  const FrequencyAxis& axis = curve.axis();
  std::vector<StandingOut> out;
  const auto level = [&](std::size_t i) { return curve.level_db(i); };
  for (std::size_t i = 1; i + 1 < axis.size(); ++i) {
    if (axis[i] < low_hz || axis[i] > high_hz) continue;
    if (!(level(i) > level(i - 1) && level(i) >= level(i + 1))) continue;
    // Down to both sides until something higher stands.
    double left = level(i);
    for (std::size_t k = i; k > 0 && level(k - 1) <= level(i) && axis[k - 1] >= 0.5 * low_hz; --k)
      left = std::min(left, level(k - 1));
    double right = level(i);
    for (std::size_t k = i + 1; k < axis.size() && level(k) <= level(i); ++k)
      right = std::min(right, level(k));
    const double prominence = level(i) - std::max(left, right);
    if (prominence < least_db) continue;
    const double bend = level(i - 1) - 2.0 * level(i) + level(i + 1);
    const double off =
        bend < 0.0 ? std::clamp(0.5 * (level(i - 1) - level(i + 1)) / bend, -0.5, 0.5) : 0.0;
    const double step = std::sqrt(axis[i + 1] / axis[i - 1]);
    out.push_back({axis[i] * std::pow(step, off), level(i), prominence});
  }
  return out;
}

}  // namespace lalometer
