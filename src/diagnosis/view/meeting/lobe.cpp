#include "diagnosis/view/meeting/lobe.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <limits>
#include <vector>

#include "base/constants.h"
#include "diagnosis/view/drivers.h"

namespace lalometer {
namespace {

/// Edges and what else a piston at its place is not, at least; as much again as the best phase is
/// off where none follows the levels well.
constexpr double kSpread_db = 1.2;
constexpr double kOfMisfit = 1.3;
constexpr double kFloor_db = -22.0;
constexpr std::size_t kPhases = 72;
constexpr std::array<double, 9> kRatios = {0.35, 0.5, 0.65, 0.8, 1.0, 1.25, 1.55, 2.0, 2.9};
constexpr std::array<double, 5> kPlaces = {-0.16, -0.08, 0.0, 0.08, 0.16};  // octaves

using Drivers = std::vector<const CaseDriver*>;

struct Way {
  double more_m;               ///< from the upper driver than from the lower
  std::complex<double> lower;  ///< directivity; of twins together
  double upper;
};

double piston(double x) {
  return std::abs(x) < 1e-6 ? 1.0 : 2.0 * std::cyl_bessel_j(1.0, std::abs(x)) / std::abs(x);
}

Way way_of(const Drivers& lows, const CaseDriver& high, double degrees, double far_m, double k) {
  const double rad = degrees * kPi / 180.0;
  const double up = far_m * std::sin(rad);
  const double out = far_m * std::cos(rad);
  const auto to = [&](const CaseDriver& d) { return std::hypot(d.x_m, up - d.y_m, out); };
  const double first = to(*lows.front());
  std::complex<double> lower = 0.0;
  for (const CaseDriver* low : lows)
    lower += piston(k * low->radius_m * std::sin(rad)) * std::polar(1.0, -k * (to(*low) - first));
  return {to(high) - first, lower / static_cast<double>(lows.size()),
          piston(k * high.radius_m * std::sin(rad))};
}

double sum_db(const Way& w, double k, double ratio, double phase) {
  const auto sum = w.lower + ratio * w.upper * std::polar(1.0, phase - k * w.more_m);
  return std::max(20.0 * std::log10(std::abs(sum) + 1e-9), kFloor_db);
}

struct Angle {
  double degrees;
  const std::vector<double>* level;
};

std::vector<Angle> angles_of(const CaseView& v) {
  std::vector<Angle> all;
  for (const CaseTake* t : v.responses())
    if (t->horizontal_deg == 0.0 && t->vertical_deg != 0.0 && std::abs(t->vertical_deg) <= 35.5)
      all.push_back({t->vertical_deg, &v.levels.at(t)});
  return all;
}

/// Mean square departure of the levels at one frequency, by phase.
std::array<double, kPhases> misfits(const CaseView& v, const Drivers& lows, const CaseDriver& high,
                                    const std::vector<Angle>& angles, std::size_t place) {
  const double k = 2.0 * kPi * (*v.axis)[place] / kSpeedOfSound20_m_s;
  const double far = std::max(v.axis_take->distance_m, 0.2);
  const Way ahead = way_of(lows, high, 0.0, far, k);
  const auto turned = std::polar(1.0, -std::arg(ahead.lower));
  std::vector<Way> ways;
  for (const Angle& a : angles) {
    ways.push_back(way_of(lows, high, a.degrees, far, k));
    // The phase is that on the axis: the way there counts as theirs.
    ways.back().more_m -= ahead.more_m;
    ways.back().lower *= turned;
  }
  const Way axis{0.0, ahead.lower * turned, ahead.upper};
  std::array<double, kPhases> out = {};
  for (std::size_t p = 0; p < kPhases; ++p) {
    const double phase = 2.0 * kPi * static_cast<double>(p) / kPhases;
    double best = std::numeric_limits<double>::infinity();
    for (const double ratio : kRatios) {
      const double axis_db = sum_db(axis, k, ratio, phase);
      double sum = 0.0;
      for (std::size_t i = 0; i < angles.size(); ++i) {
        const double seen = std::max((*angles[i].level)[place] - v.level_db[place], kFloor_db);
        const double told = sum_db(ways[i], k, ratio, phase) - axis_db;
        sum += std::min(std::pow(seen - told, 2), 64.0);
      }
      best = std::min(best, sum / static_cast<double>(angles.size()));
    }
    out[p] = best;
  }
  return out;
}

}  // namespace

std::optional<Lobe> lobe_of(const CaseView& v, const CaseCrossover& x, double about_hz) {
  if (v.axis_take == nullptr) return std::nullopt;
  const CaseDriver* low = v.material->subject.driver(x.low);
  const CaseDriver* high = v.material->subject.driver(x.high);
  if (low == nullptr || high == nullptr) return std::nullopt;
  const double apart = std::abs(low->y_m - high->y_m);
  const Drivers lows = alike(v.material->subject, x.low);
  // Too near they have no lobe there; too far one that a centimetre turns by a quarter period.
  const double waves = apart * about_hz / kSpeedOfSound20_m_s;
  if (waves < 0.25 || waves > 1.45) return std::nullopt;
  std::array<double, kPhases> square = {};
  double counted = 0.0;
  std::size_t taken = 0;
  for (const double octaves : kPlaces) {
    const std::size_t place = v.axis->bracket(about_hz * std::exp2(octaves));
    if (!std::isfinite(v.level_db[place])) continue;
    std::vector<Angle> angles = angles_of(v);
    std::erase_if(angles, [&](const Angle& a) { return !std::isfinite((*a.level)[place]); });
    if (angles.size() < 3) continue;
    const auto each = misfits(v, lows, *high, angles, place);
    for (std::size_t p = 0; p < kPhases; ++p) square[p] += each[p];
    counted += 1.0;
    taken = angles.size();
  }
  if (counted < 1.0) return std::nullopt;
  // Frequencies so near say one thing together; the angles are what is independent.
  const auto best = std::min_element(square.begin(), square.end());
  // Where no phase follows them well, they tell little.
  const double spread = std::max(kSpread_db * kSpread_db, kOfMisfit * kOfMisfit * *best / counted);
  const double weight = static_cast<double>(taken) / (2.0 * spread * counted);
  std::array<double, 3> mean = {};
  std::array<double, 3> count = {};
  for (std::size_t p = 0; p < kPhases; ++p) {
    const double deg = 360.0 * static_cast<double>(p) / kPhases;
    const double off = deg > 180.0 ? 360.0 - deg : deg;
    const double likely = std::exp(-weight * (square[p] - *best));
    const auto into = [&](std::size_t which) {
      mean[which] += likely;
      count[which] += 1.0;
    };
    if (off <= 60.0) into(0);
    if (off >= 76.0 && off <= 120.0) into(1);
    if (off >= 132.0) into(2);
  }
  const double in_phase = mean[0] / count[0] + 1e-6;
  Lobe lobe;
  const double deg = 360.0 * static_cast<double>(best - square.begin()) / kPhases;
  lobe.between_deg = deg > 180.0 ? deg - 360.0 : deg;
  lobe.misfit_db = std::sqrt(*best / counted);
  lobe.quarter_ratio = (mean[1] / count[1] + 1e-6) / in_phase;
  lobe.reversed_ratio = (mean[2] / count[2] + 1e-6) / in_phase;
  return lobe;
}

}  // namespace lalometer
