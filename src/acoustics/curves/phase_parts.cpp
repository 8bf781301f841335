#include "acoustics/curves/phase_parts.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "acoustics/spectrum/bode_phase.h"
#include "acoustics/spectrum/smoothing.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

/// What lies so far under the loudest third of an octave is noise, or the next driver.
constexpr double kTells_db = 35.0;
constexpr double kLoud_db = 15.0;
constexpr double kLeast_octaves = 2.0 / 3.0;
/// Beyond its data a curve may go on so much steeper or flatter: a driver that is still level there
/// falls by a second order somewhere, one that falls already is known better.
constexpr double kOtherTail_db = 4.0;
constexpr double kUnfallenTail_db = 9.0;
constexpr double kFallen_db = -6.0;
constexpr double kLongest_s = 0.01;

/// First and last index around the loudest within `below_db` of it.
std::pair<std::size_t, std::size_t> stretch_within(const Response& smooth, double below_db) {
  std::size_t top = 0;
  double loudest = -1e9;
  for (std::size_t i = 0; i < smooth.size(); ++i) {
    if (!smooth.valid().contains(smooth.axis()[i]) || smooth.level_db(i) <= loudest) continue;
    loudest = smooth.level_db(i);
    top = i;
  }
  const auto tells = [&](std::size_t i) {
    return smooth.valid().contains(smooth.axis()[i]) && smooth.level_db(i) > loudest - below_db;
  };
  std::size_t low = top;
  std::size_t high = top;
  while (low > 0 && tells(low - 1)) --low;
  while (high + 1 < smooth.size() && tells(high + 1)) ++high;
  return {low, high};
}

Response cut(const Response& curve, std::size_t low, std::size_t high) {
  std::vector<double> hz;
  std::vector<Complex> values;
  for (std::size_t i = low; i <= high; ++i) {
    hz.push_back(curve.axis()[i]);
    values.push_back(curve.value(i));
  }
  const ValidRange whole{hz.front(), hz.back()};
  return *Response::make(*FrequencyAxis::make(std::move(hz)), std::move(values), curve.quantity(),
                         whole, curve.has_phase());
}

/// Unit vectors of the phase that is left at a frequency, and their weights.
struct Left {
  std::vector<double> hz;
  std::vector<Complex> turn;
  std::vector<double> weight;
};

struct Delay {
  double seconds = 0.0;
  double phase = 0.0;      ///< of what is left at no frequency, rad
  double low_share = 0.0;  ///< a of a / f
  double agrees = 0.0;     ///< 0 to 1
};

Complex sum_at(const Left& left, double delay_s) {
  Complex sum = 0.0;
  for (std::size_t i = 0; i < left.hz.size(); ++i)
    sum += left.weight[i] * left.turn[i] * std::polar(1.0, 2.0 * kPi * left.hz[i] * delay_s);
  return sum;
}

/// The best delay on a grid, then by least squares with sign and a / f.
Delay delay_of(const Left& left, std::optional<double> near_s = std::nullopt) {
  Delay out;
  double weights = 0.0;
  for (const double w : left.weight) weights += w;
  if (near_s) {
    out.seconds = *near_s;
  } else {
    // Each step turns every point a little further: no sine is computed again.
    const double step_s = 0.1 / left.hz.back();
    std::vector<Complex> turned;
    std::vector<Complex> by;
    for (std::size_t i = 0; i < left.hz.size(); ++i) {
      const double w = 2.0 * kPi * left.hz[i];
      turned.push_back(left.weight[i] * left.turn[i] * std::polar(1.0, -w * kLongest_s));
      by.push_back(std::polar(1.0, w * step_s));
    }
    double best = -1.0;
    for (double t = -kLongest_s; t <= kLongest_s; t += step_s) {
      Complex sum = 0.0;
      for (std::size_t i = 0; i < turned.size(); ++i) {
        sum += turned[i];
        turned[i] *= by[i];
      }
      const double agree = std::norm(sum);
      if (agree <= best) continue;
      best = agree;
      out.seconds = t;
    }
  }
  for (int round = 0; round < 3; ++round) {
    const Complex mean = sum_at(left, out.seconds);
    out.agrees = std::abs(mean) / weights;
    const double zero = std::arg(mean);
    // Normal equations of phase = p + q f + a / f about the mean turn.
    std::array<std::array<double, 4>, 3> m{};
    const double scale = left.hz.back();
    for (std::size_t i = 0; i < left.hz.size(); ++i) {
      const double f = left.hz[i] / scale;
      const double y =
          std::arg(left.turn[i] * std::polar(1.0, 2.0 * kPi * left.hz[i] * out.seconds - zero));
      const std::array<double, 3> x{1.0, f, 0.05 / f};
      for (std::size_t r = 0; r < 3; ++r) {
        for (std::size_t c = 0; c < 3; ++c) m[r][c] += left.weight[i] * x[r] * x[c];
        m[r][3] += left.weight[i] * x[r] * y;
      }
    }
    // A short band does not tell the three apart: a little of each is preferred.
    for (std::size_t r = 0; r < 3; ++r) m[r][r] += 1e-6 * weights;
    for (std::size_t r = 0; r < 3; ++r) {
      for (std::size_t other = 0; other < 3; ++other) {
        if (other == r) continue;
        const double by = m[other][r] / m[r][r];
        for (std::size_t c = r; c < 4; ++c) m[other][c] -= by * m[r][c];
      }
    }
    out.phase = zero + m[0][3] / m[0][0];
    out.seconds -= m[1][3] / m[1][1] / (2.0 * kPi * scale);
    out.low_share = m[2][3] / m[2][2];
  }
  return out;
}

Left left_of(const Response& curve, const Response& minimum, const Response& smooth,
             std::size_t low, std::size_t high, double skip_from = 2.0, double skip_to = 2.0) {
  Left left;
  for (std::size_t i = low; i <= high; ++i) {
    const double share = static_cast<double>(i - low) / static_cast<double>(high - low);
    if (share >= skip_from && share < skip_to) continue;
    const double f = curve.axis()[i];
    const Complex own = value_at(minimum, f);
    if (!(std::abs(own) > 0.0) || !std::isfinite(own.real())) continue;
    const Complex ratio = curve.value(i) / own;
    if (!(std::abs(ratio) > 0.0)) continue;
    left.hz.push_back(f);
    left.turn.push_back(ratio / std::abs(ratio));
    // Evenly over linear frequency on a logarithmic axis; deep dips turn as they like.
    const double depth = curve.magnitude(i) / std::max(smooth.magnitude(i), 1e-30);
    left.weight.push_back(f * std::min(1.0, depth * depth));
  }
  return left;
}

}  // namespace

std::optional<PhaseParts> phase_parts(const Response& curve) {
  if (!curve.has_phase() || curve.size() < 8) return std::nullopt;
  const Response smooth = smoothed(curve, 3);
  const auto [first, last] = stretch_within(smooth, kTells_db);
  const auto [low, high] = stretch_within(smooth, kLoud_db);
  if (last <= first || std::log2(curve.axis()[high] / curve.axis()[low]) < kLeast_octaves)
    return std::nullopt;
  const Response band = cut(curve, first, last);
  const Response coarse = cut(smooth, first, last);
  const TailSlopes tails = end_slopes(coarse);
  PhaseParts parts{.minimum = with_minimum_phase(band, tails), .excess_deg = {}, .read_over = {}};
  parts.read_over = {curve.axis()[low], curve.axis()[high]};
  const Left whole = left_of(curve, parts.minimum, smooth, low, high);
  if (whole.hz.size() < 6) return std::nullopt;
  const Delay delay = delay_of(whole);
  parts.delay_s = delay.seconds;
  parts.inverted = std::cos(delay.phase) < 0.0;

  double square = 0.0;
  constexpr int kPieces = 4;
  for (int k = 0; k < kPieces; ++k) {
    const Left part = left_of(curve, parts.minimum, smooth, low, high, k / 4.0, (k + 1) / 4.0);
    square += std::pow(delay_of(part, delay.seconds).seconds - delay.seconds, 2);
  }
  // Jackknife of four pieces.
  const double scatter = kTwoSided95 * std::sqrt(square * (kPieces - 1.0) / kPieces);
  // A steeper tail above turns the phase by 2 f / (pi f_top) per neper an octave's worth: in closed
  // form, since the integral of ln(f'/f_top) / f'^2 from f_top on is 1 / f_top.
  const double other_db = tails.above_db > kFallen_db ? kUnfallenTail_db : kOtherTail_db;
  const double nepers = other_db * 0.115129 / std::log(2.0);
  const double tail = nepers / (kPi * kPi * band.axis().back());
  parts.delay_half_width_s = std::hypot(scatter, tail);

  parts.excess_deg.assign(curve.size(), std::numeric_limits<double>::quiet_NaN());
  for (std::size_t i = first; i <= last; ++i) {
    const double f = curve.axis()[i];
    const Complex ratio = curve.value(i) / value_at(parts.minimum, f) *
                          std::polar(1.0, 2.0 * kPi * f * delay.seconds) *
                          (parts.inverted ? -1.0 : 1.0);
    parts.excess_deg[i] = std::arg(ratio) * 180.0 / kPi;
  }
  return parts;
}

std::vector<double> group_delay_s(const Response& curve) {
  const std::size_t n = curve.size();
  std::vector<double> delay(n, std::numeric_limits<double>::quiet_NaN());
  if (!curve.has_phase() || n < 3) return delay;
  const std::vector<double> phase = unwrapped_phase(curve.values());
  std::size_t from = 0;
  std::size_t to = 0;
  const double reach = std::exp2(1.0 / 12.0);
  for (std::size_t i = 0; i < n; ++i) {
    const double f = curve.axis()[i];
    if (!curve.valid().contains(f)) continue;
    while (from < i && curve.axis()[from] < f / reach) ++from;
    while (to + 1 < n && curve.axis()[to + 1] <= f * reach) ++to;
    const std::size_t a = std::min(from, i > 0 ? i - 1 : 0);
    const std::size_t b = std::max(to, std::min(i + 1, n - 1));
    delay[i] = -(phase[b] - phase[a]) / (2.0 * kPi * (curve.axis()[b] - curve.axis()[a]));
  }
  return delay;
}

AcousticOffset acoustic_offset(const HeardDriver& a, const HeardDriver& b, double distance_m,
                               double zero_s, double c) {
  const auto depth = [&](const HeardDriver& d) {
    const double way = (zero_s + d.delay_s) * c;
    // Behind the baffle's plane by what the way is longer than to the baffle.
    return std::sqrt(std::max(way * way - d.off_axis_m * d.off_axis_m, 0.0)) - distance_m;
  };
  return {depth(a) - depth(b), c * std::hypot(a.delay_half_width_s, b.delay_half_width_s)};
}

}  // namespace lalometer
