#include "diagnosis/view/sound/second_arrival.h"

#include <algorithm>
#include <array>
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

std::optional<Stretch> stretch_of(const FrequencyAxis& axis, const std::vector<double>& level_db,
                                  ValidRange range, std::size_t least) {
  std::vector<double> hz;
  std::vector<double> level;
  for (std::size_t i = 0; i < axis.size(); ++i) {
    if (!range.contains(axis[i]) || !std::isfinite(level_db[i])) continue;
    hz.push_back(axis[i]);
    level.push_back(level_db[i]);
  }
  if (hz.size() < least) return std::nullopt;
  auto own = FrequencyAxis::make(hz);
  if (!own) return std::nullopt;
  return Stretch{.hz = hz, .level_db = level, .axis = *std::move(own)};
}

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

std::vector<double> left_by(const Stretch& s, const std::vector<double>& standing,
                            const SecondArrival& a) {
  std::vector<double> ripple(s.hz.size());
  for (std::size_t i = 0; i < ripple.size(); ++i) ripple[i] = a.ripple_db(s.hz[i]);
  std::vector<double> left = s.standing(ripple);
  for (std::size_t i = 0; i < left.size(); ++i) left[i] = standing[i] - left[i];
  return left;
}

/// x of a symmetric system of three by Cramer's rule; nothing where it has none.
std::optional<std::array<double, 3>> solved(const std::array<std::array<double, 3>, 3>& m,
                                            const std::array<double, 3>& y) {
  const auto det = [](const std::array<std::array<double, 3>, 3>& a) {
    return a[0][0] * (a[1][1] * a[2][2] - a[1][2] * a[2][1]) -
           a[0][1] * (a[1][0] * a[2][2] - a[1][2] * a[2][0]) +
           a[0][2] * (a[1][0] * a[2][1] - a[1][1] * a[2][0]);
  };
  const double whole = det(m);
  if (!(std::abs(whole) > 1e-12 * m[0][0] * m[1][1] * m[2][2])) return std::nullopt;
  std::array<double, 3> x = {};
  for (std::size_t k = 0; k < 3; ++k) {
    auto with = m;
    for (std::size_t row = 0; row < 3; ++row) with[row][k] = y[row];
    x[k] = det(with) / whole;
  }
  return x;
}

/// A large copy makes narrower dips than a cosine: its delay, its share and its lean by steps of
/// Gauss and Newton, as long as less is left.
SecondArrival refined(const Stretch& s, const std::vector<double>& standing, SecondArrival a) {
  constexpr int kSteps = 6;
  const std::array<double, 3> small = {0.02 / (2.0 * kPi * s.hz.back()), 0.01, 0.01};
  const auto moved = [](SecondArrival to, const std::array<double, 3>& by) {
    to.delay_s += by[0];
    to.share += by[1];
    to.per_octave += by[2];
    return to;
  };
  std::vector<double> left = left_by(s, standing, a);
  for (int step = 0; step < kSteps; ++step) {
    std::array<std::vector<double>, 3> slope;
    for (std::size_t k = 0; k < 3; ++k) {
      std::array<double, 3> by = {};
      by[k] = small[k];
      slope[k] = left_by(s, standing, moved(a, by));
      for (std::size_t i = 0; i < left.size(); ++i) slope[k][i] -= left[i];
    }
    std::array<std::array<double, 3>, 3> normal = {};
    std::array<double, 3> right = {};
    for (std::size_t k = 0; k < 3; ++k)
      for (std::size_t i = 0; i < left.size(); ++i) {
        right[k] -= slope[k][i] * left[i];
        for (std::size_t l = 0; l < 3; ++l) normal[k][l] += slope[k][i] * slope[l][i];
      }
    const auto steps = solved(normal, right);
    if (!steps) break;
    double part = 1.0;
    bool better = false;
    for (int halved = 0; halved < 4 && !better; ++halved, part *= 0.5) {
      std::array<double, 3> by = {};
      for (std::size_t k = 0; k < 3; ++k) by[k] = part * (*steps)[k] * small[k];
      const SecondArrival tried = moved(a, by);
      std::vector<double> now = left_by(s, standing, tried);
      better = tried.share > 0.0 && variance_of(now) < 0.9999 * variance_of(left);
      if (!better) continue;
      a = tried;
      left = std::move(now);
    }
    if (!better) break;
  }
  const double square = variance_of(left);
  a.explained = 1.0 - square / variance_of(standing);
  a.left_db = std::sqrt(square / static_cast<double>(standing.size()));
  return a;
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
  const auto stretch = stretch_of(axis, level_db, range, kLeastPlaces);
  if (!stretch) return std::nullopt;
  const Stretch& s = *stretch;
  const std::vector<double>& hz = s.hz;
  const std::vector<double> standing = s.standing(s.level_db);
  const double middle_hz = std::sqrt(hz.front() * hz.back());
  const double step_s = kTurn / (2.0 * kPi * hz.back());
  SecondArrival best;
  for (double delay = least_s; delay <= most_s; delay += step_s) {
    const SecondArrival tried = with_delay(s, standing, delay, middle_hz);
    if (tried.share > 0.0 && tried.explained > best.explained) best = tried;
  }
  if (!(best.explained > 0.0)) return std::nullopt;
  best = refined(s, standing, best);
  return best.explained > kExplains ? std::optional(best) : std::nullopt;
}

std::optional<double> explained_by(const SecondArrival& arrival, const FrequencyAxis& axis,
                                   const std::vector<double>& level_db, ValidRange range) {
  constexpr std::size_t kLeastPlaces = 12;
  const auto s = stretch_of(axis, level_db, range, kLeastPlaces);
  if (!s) return std::nullopt;
  const std::vector<double> standing = s->standing(s->level_db);
  return 1.0 - variance_of(left_by(*s, standing, arrival)) / variance_of(standing);
}

Response without(const SecondArrival& arrival, const Response& curve) {
  std::vector<std::complex<double>> values = curve.values();
  for (std::size_t i = 0; i < values.size(); ++i)
    values[i] *= std::pow(10.0, -arrival.ripple_db(curve.axis()[i]) / 20.0);
  return *Response::make(curve.axis(), std::move(values), curve.quantity(), curve.valid(),
                         curve.has_phase());
}

}  // namespace lalometer
