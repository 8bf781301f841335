#include "diagnosis/view/sound/second_arrival.h"

#include <algorithm>
#include <cmath>

#include "acoustics/near_field/bass_figures.h"
#include "base/constants.h"

namespace lalometer {
namespace {

constexpr double kDbOfShare = 8.685889638;  // 20 log10(1 + x) of a small x
constexpr double kLargest = 0.95;

/// The places of a range, and a level there less its run over an octave.
struct Stretch {
  std::vector<double> hz;
  std::vector<double> level_db;
  FrequencyAxis axis;
  [[nodiscard]] std::vector<double> standing(const std::vector<double>& y) const {
    std::vector<double> out = y;
    const std::vector<double> run = mean_run(axis, mean_run(axis, y, 1), 1);
    for (std::size_t i = 0; i < out.size(); ++i) out[i] -= run[i];
    return out;
  }
};

/// Least squares of y by two columns.
struct TwoColumns {
  double a = 0.0, b = 0.0, explained = 0.0;
};
TwoColumns by_two(const std::vector<double>& y, const std::vector<double>& c,
                  const std::vector<double>& d) {
  double cc = 0.0, cd = 0.0, dd = 0.0, cy = 0.0, dy = 0.0;
  for (std::size_t i = 0; i < y.size(); ++i) {
    cc += c[i] * c[i];
    cd += c[i] * d[i];
    dd += d[i] * d[i];
    cy += c[i] * y[i];
    dy += d[i] * y[i];
  }
  const double det = cc * dd - cd * cd;
  if (!(det > 1e-12)) return {};
  TwoColumns out{.a = (dd * cy - cd * dy) / det, .b = (cc * dy - cd * cy) / det};
  out.explained = out.a * cy + out.b * dy;
  return out;
}

double variance_of(const std::vector<double>& y) {
  double sum = 0.0;
  for (const double x : y) sum += x * x;
  return sum;
}

SecondArrival with_delay(const Stretch& s, const std::vector<double>& standing, double delay_s,
                         double middle_hz) {
  std::vector<double> whole(s.hz.size());
  std::vector<double> leaning(s.hz.size());
  for (std::size_t i = 0; i < s.hz.size(); ++i) {
    whole[i] = kDbOfShare * std::cos(2.0 * kPi * s.hz[i] * delay_s);
    leaning[i] = whole[i] * std::log2(s.hz[i] / middle_hz);
  }
  const TwoColumns fit = by_two(standing, s.standing(whole), s.standing(leaning));
  return {.delay_s = delay_s,
          .share = fit.a,
          .per_octave = fit.b,
          .middle_hz = middle_hz,
          .explained = fit.explained};
}

double left_db2(const Stretch& s, const std::vector<double>& standing, const SecondArrival& a) {
  std::vector<double> ripple(s.hz.size());
  for (std::size_t i = 0; i < ripple.size(); ++i) ripple[i] = a.ripple_db(s.hz[i]);
  std::vector<double> left = s.standing(ripple);
  for (std::size_t i = 0; i < left.size(); ++i) left[i] = standing[i] - left[i];
  return variance_of(left);
}

}  // namespace

double SecondArrival::ripple_db(double f) const {
  const double g = std::clamp(share + per_octave * std::log2(f / middle_hz), 0.0, kLargest);
  const double turn = 2.0 * kPi * f * delay_s;
  return 10.0 * std::log10(1.0 + g * g + 2.0 * g * std::cos(turn));
}

std::optional<SecondArrival> second_arrival(const FrequencyAxis& axis,
                                            const std::vector<double>& level_db, ValidRange range,
                                            double least_s, double most_s) {
  constexpr std::size_t kLeastPlaces = 24;
  constexpr double kTurn = 0.25;  // of the phase at the top, from one delay to the next, rad
  constexpr double kExplains = 0.5;
  std::vector<double> hz;
  std::vector<double> level;
  for (std::size_t i = 0; i < axis.size(); ++i) {
    if (!range.contains(axis[i]) || !std::isfinite(level_db[i])) continue;
    hz.push_back(axis[i]);
    level.push_back(level_db[i]);
  }
  if (hz.size() < kLeastPlaces) return std::nullopt;
  auto own = FrequencyAxis::make(hz);
  if (!own) return std::nullopt;
  const Stretch s{.hz = hz, .level_db = level, .axis = *std::move(own)};
  const std::vector<double> standing = s.standing(level);
  const double middle_hz = std::sqrt(hz.front() * hz.back());
  const double step_s = kTurn / (2.0 * kPi * hz.back());
  SecondArrival best;
  for (double delay = least_s; delay <= most_s; delay += step_s) {
    const SecondArrival tried = with_delay(s, standing, delay, middle_hz);
    if (tried.share > 0.0 && tried.explained > best.explained) best = tried;
  }
  if (!(best.explained > 0.0)) return std::nullopt;
  // A large copy makes narrower dips than a cosine: its size by what is left.
  const SecondArrival first = best;
  double left = left_db2(s, standing, best);
  for (double by = 0.6; by < 1.45; by += 0.1) {
    SecondArrival tried = first;
    tried.share *= by;
    tried.per_octave *= by;
    if (const double now = left_db2(s, standing, tried); now < left) {
      left = now;
      best = tried;
    }
  }
  best.explained = 1.0 - left / variance_of(standing);
  best.left_db = std::sqrt(left / static_cast<double>(standing.size()));
  return best.explained > kExplains ? std::optional(best) : std::nullopt;
}

Response without(const SecondArrival& arrival, const Response& curve) {
  std::vector<std::complex<double>> values = curve.values();
  for (std::size_t i = 0; i < values.size(); ++i)
    values[i] *= std::pow(10.0, -arrival.ripple_db(curve.axis()[i]) / 20.0);
  return *Response::make(curve.axis(), std::move(values), curve.quantity(), curve.valid(),
                         curve.has_phase());
}

}  // namespace lalometer
