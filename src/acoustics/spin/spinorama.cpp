#include "acoustics/spin/spinorama.h"

#include <fmt/format.h>

#include <Eigen/Core>
#include <algorithm>
#include <array>
#include <cmath>

namespace lalometer {
namespace {

constexpr std::array<double, 10> kPowerWeights = {
    0.000604486, 0.004730189, 0.008955027, 0.012387354, 0.014989611,
    0.016868154, 0.018165962, 0.019006744, 0.019477787, 0.019629373};

struct Angle {
  Plane plane;
  double degrees;
};

std::vector<Angle> both_sides(double from, double to) {
  std::vector<Angle> angles;
  for (double d = from; d <= to + 0.1; d += 10.0) {
    angles.push_back({Plane::kHorizontal, d});
    if (d > 0.1 && d < 179.9) angles.push_back({Plane::kHorizontal, -d});
  }
  return angles;
}

/// sum += weight * row.
void add(double weight, const std::vector<double>& row, std::vector<double>& sum) {
  const auto n = static_cast<Eigen::Index>(sum.size());
  Eigen::Map<Eigen::ArrayXd>(sum.data(), n) +=
      weight * Eigen::Map<const Eigen::ArrayXd>(row.data(), n);
}

/// Mean power over angles; nothing where one is missing.
std::vector<double> mean_power(const SpinPowers& powers, const std::vector<Angle>& angles) {
  std::vector<double> sum(powers.points, 0.0);
  for (const Angle& angle : angles) {
    const std::vector<double>& row = powers.at(angle.plane, angle.degrees);
    if (row.empty()) return {};
    add(1.0, row, sum);
  }
  for (double& v : sum) v /= static_cast<double>(angles.size());
  return sum;
}

/// Levels of powers in the curves' own quantity, at least -400 dB.
SpatialAverage levels(const SpinPowers& powers, const std::vector<double>& power) {
  const double reference = level_reference(powers.quantity);
  const auto n = static_cast<Eigen::Index>(power.size());
  const Eigen::Map<const Eigen::ArrayXd> of(power.data(), n);
  SpatialAverage out(power.size());
  Eigen::Map<Eigen::ArrayXd>(out.data(), n) =
      (of / (reference * reference)).max(1e-40).log() * (10.0 / std::log(10.0));
  return out;
}

std::vector<double> total_power(const SpinPowers& powers) {
  std::vector<double> sum(powers.points, 0.0);
  double weights = 0.0;
  const auto added = [&](Plane plane, double degrees) {
    const std::vector<double>& row = powers.at(plane, degrees);
    if (row.empty()) return false;
    const double w = power_weight(degrees);
    weights += w;
    add(w, row, sum);
    return true;
  };
  for (int d = -170; d <= 180; d += 10) {
    if (!added(Plane::kHorizontal, d)) return {};
    // Straight ahead and straight behind are one ray of both circles.
    if (d != 0 && d != 180 && !added(Plane::kVertical, d)) return {};
  }
  for (double& v : sum) v /= weights;
  return sum;
}

SpatialAverage less(const SpatialAverage& a, const SpatialAverage& b) {
  if (a.empty() || b.empty()) return {};
  SpatialAverage out(a.size());
  for (std::size_t i = 0; i < a.size(); ++i) out[i] = a[i] - b[i];
  return out;
}

constexpr double kPointsPerOctave = 20.0;

/// Mean departure from their own mean, over half-octave bands.
double narrow_band_deviation(const FrequencyAxis& axis, const std::vector<double>& level) {
  constexpr double kLow_hz = 100.0;
  constexpr double kHigh_hz = 12000.0;
  double sum = 0.0;
  int bands = 0;
  for (double low = kLow_hz; low < kHigh_hz * (1.0 - 1e-9); low *= std::sqrt(2.0)) {
    const double high = std::min(low * std::sqrt(2.0), kHigh_hz);
    std::vector<double> in;
    const auto first =
        static_cast<int>(std::ceil(std::log2(low / kLow_hz) * kPointsPerOctave - 1e-6));
    for (int k = first;; ++k) {
      const double f = kLow_hz * std::exp2(k / kPointsPerOctave);
      if (f >= high * (1.0 - 1e-9)) break;
      in.push_back(value_between(axis, level, f));
    }
    if (in.empty()) continue;
    double mean = 0.0;
    for (const double v : in) mean += v / static_cast<double>(in.size());
    double off = 0.0;
    for (const double v : in) off += std::abs(v - mean) / static_cast<double>(in.size());
    sum += off;
    ++bands;
  }
  return sum / bands;
}

struct Line {
  double slope;  ///< per octave
  double at_1k;
  double r_square;
};
Line line_through(const FrequencyAxis& axis, const std::vector<double>& level, double low,
                  double high) {
  double n = 0.0, sx = 0.0, sy = 0.0, sxx = 0.0, sxy = 0.0, syy = 0.0;
  for (int k = 0;; ++k) {
    const double f = low * std::exp2(k / kPointsPerOctave);
    if (f > high * (1.0 + 1e-9)) break;
    const double x = std::log2(f / 1000.0);
    const double y = value_between(axis, level, f);
    n += 1.0, sx += x, sy += y, sxx += x * x, sxy += x * y, syy += y * y;
  }
  const double vxx = sxx - sx * sx / n;
  const double vxy = sxy - sx * sy / n;
  const double vyy = syy - sy * sy / n;
  const double slope = vxy / vxx;
  return {slope, (sy - slope * sx) / n, vyy > 1e-12 ? vxy * vxy / (vxx * vyy) : 1.0};
}

bool covers(const FrequencyAxis& axis, const ValidRange& valid, double low, double high) {
  return std::max(axis.front(), valid.low_hz) <= low * 1.01 &&
         std::min(axis.back(), valid.high_hz) >= high / 1.01;
}

}  // namespace

double power_weight(double degrees) {
  double d = std::abs(wrapped_deg(degrees));
  if (d > 90.0) d = 180.0 - d;
  return kPowerWeights[static_cast<std::size_t>(std::lround(d / 10.0))];
}

const std::vector<double>& SpinPowers::at(Plane plane, double degrees) const {
  const auto k = static_cast<std::size_t>(std::lround((wrapped_deg(degrees) + 170.0) / 10.0));
  return plane == Plane::kHorizontal ? horizontal[k] : vertical[k];
}

Spinorama spin_averages(const SpinPowers& powers) {
  Spinorama s;
  s.on_axis_db = levels(powers, powers.at(Plane::kHorizontal, 0.0));
  std::vector<Angle> window = both_sides(0.0, 30.0);
  window.push_back({Plane::kVertical, 10.0});
  window.push_back({Plane::kVertical, -10.0});
  const auto listening = mean_power(powers, window);
  const auto floor = mean_power(
      powers, {{Plane::kVertical, -20.0}, {Plane::kVertical, -30.0}, {Plane::kVertical, -40.0}});
  const auto ceiling = mean_power(
      powers, {{Plane::kVertical, 40.0}, {Plane::kVertical, 50.0}, {Plane::kVertical, 60.0}});
  const auto front = mean_power(powers, both_sides(0.0, 30.0));
  const auto side = mean_power(powers, both_sides(40.0, 80.0));
  const auto rear = mean_power(powers, both_sides(90.0, 180.0));
  std::vector<double> early;
  if (!floor.empty() && !ceiling.empty() && !front.empty() && !side.empty() && !rear.empty())
    for (std::size_t i = 0; i < floor.size(); ++i)
      early.push_back((floor[i] + ceiling[i] + front[i] + side[i] + rear[i]) / 5.0);
  const auto power = total_power(powers);
  s.listening_window_db = levels(powers, listening);
  s.floor_db = levels(powers, floor);
  s.ceiling_db = levels(powers, ceiling);
  s.front_wall_db = levels(powers, front);
  s.side_wall_db = levels(powers, side);
  s.rear_wall_db = levels(powers, rear);
  s.early_reflections_db = levels(powers, early);
  s.sound_power_db = levels(powers, power);
  s.sound_power_di_db = less(s.listening_window_db, s.sound_power_db);
  s.early_reflections_di_db = less(s.listening_window_db, s.early_reflections_db);
  if (!listening.empty() && !early.empty() && !power.empty()) {
    std::vector<double> room(listening.size());
    for (std::size_t i = 0; i < room.size(); ++i)
      room[i] = 0.12 * listening[i] + 0.44 * early[i] + 0.44 * power[i];
    s.predicted_in_room_db = levels(powers, room);
  }
  return s;
}

SpinPowers spin_powers(const Orbit& orbit) {
  const std::vector<Orbit::Ray>& any = orbit.rays(Plane::kHorizontal).empty()
                                           ? orbit.rays(Plane::kVertical)
                                           : orbit.rays(Plane::kHorizontal);
  SpinPowers powers{.quantity = any.front().curve.quantity(), .points = orbit.axis().size()};
  for (const Plane plane : {Plane::kHorizontal, Plane::kVertical})
    for (std::size_t k = 0; k < powers.horizontal.size(); ++k) {
      const Orbit::Ray* ray = orbit.at(plane, SpinPowers::degrees(k));
      if (ray == nullptr) continue;
      std::vector<double>& row =
          plane == Plane::kHorizontal ? powers.horizontal[k] : powers.vertical[k];
      row.resize(powers.points);
      const auto n = static_cast<Eigen::Index>(powers.points);
      Eigen::Map<Eigen::ArrayXd>(row.data(), n) =
          Eigen::Map<const Eigen::ArrayXcd>(ray->curve.values().data(), n).abs2();
    }
  return powers;
}

Spinorama spinorama(const Orbit& orbit) {
  Spinorama s = spin_averages(spin_powers(orbit));
  const auto note = [&](Plane plane, double degrees) {
    const Orbit::Ray* ray = orbit.at(plane, degrees);
    if (ray != nullptr && !ray->mirrored) return;
    std::string name = fmt::format(
        "{} {:+.0f}°", plane == Plane::kHorizontal ? "horizontal" : "vertical", degrees);
    (ray == nullptr ? s.missing : s.mirrored).push_back(std::move(name));
  };
  for (int d = -170; d <= 180; d += 10) {
    note(Plane::kHorizontal, d);
    if (d != 0 && d != 180) note(Plane::kVertical, d);
  }
  return s;
}

std::optional<TrendLine> trend_of(const FrequencyAxis& axis, const std::vector<double>& level_db,
                                  double low_hz, double high_hz) {
  if (level_db.empty() || !covers(axis, {0.0, 1e12}, low_hz, high_hz)) return std::nullopt;
  const Line line = line_through(axis, level_db, low_hz, high_hz);
  return TrendLine{line.slope, line.at_1k};
}

Preference preference_of(const FrequencyAxis& axis, const ValidRange& valid, const Spinorama& s) {
  Preference p;
  const bool narrow = covers(axis, valid, 100.0, 12000.0);
  if (narrow && !s.on_axis_db.empty()) p.nbd_on = narrow_band_deviation(axis, s.on_axis_db);
  if (narrow && !s.predicted_in_room_db.empty())
    p.nbd_pir = narrow_band_deviation(axis, s.predicted_in_room_db);
  if (!s.predicted_in_room_db.empty() && covers(axis, valid, 100.0, 16000.0))
    p.sm_pir = line_through(axis, s.predicted_in_room_db, 100.0, 16000.0).r_square;
  if (!s.sound_power_db.empty() && !s.listening_window_db.empty() &&
      covers(axis, valid, 300.0, 10000.0)) {
    double mean = 0.0;
    double n = 0.0;
    for (int k = 0;; ++k) {
      const double f = 300.0 * std::exp2(k / kPointsPerOctave);
      if (f > 10000.0) break;
      mean += value_between(axis, s.listening_window_db, f);
      n += 1.0;
    }
    mean /= n;
    // Downward from 300 Hz to where it has fallen 6 dB.
    const double low = std::max(axis.front(), valid.low_hz);
    for (std::size_t i = axis.size(); i-- > 1;) {
      if (axis[i] > 300.0 || axis[i - 1] < low * (1.0 - 1e-9)) continue;
      const double above = s.sound_power_db[i];
      const double below = s.sound_power_db[i - 1];
      if (below > mean - 6.0) continue;
      const double t =
          above > below ? std::clamp((above - (mean - 6.0)) / (above - below), 0.0, 1.0) : 0.0;
      p.lfx = std::log10(axis[i] * std::pow(axis[i - 1] / axis[i], t));
      break;
    }
  }
  if (p.nbd_on && p.nbd_pir && p.sm_pir) {
    const double rest = 12.69 - 2.49 * *p.nbd_on - 2.99 * *p.nbd_pir + 2.32 * *p.sm_pir;
    if (p.lfx) p.score = rest - 4.31 * *p.lfx;
    p.score_with_subwoofer = rest - 4.31 * std::log10(14.5);
  }
  return p;
}

}  // namespace lalometer
