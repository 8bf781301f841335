#include "acoustics/spectrum/bode_phase.h"

#include <Eigen/Core>
#include <algorithm>
#include <cmath>

#include "base/constants.h"

namespace lalometer {
namespace {

/// Legendre's chi function of second order, the sum of x^k / k^2 over odd k, for 0 <= x <= 1.
double legendre_chi(double x) {
  constexpr double kTurn = 0.41421356237309515;  // (1 - x) / (1 + x) maps it onto itself
  if (x > kTurn) {
    // chi(x) + chi(y) = pi^2 / 8 - 1/2 ln x ln y, with y = (1 - x) / (1 + x).
    const double other = (1.0 - x) / (1.0 + x);
    const double product = other > 0.0 ? std::log(x) * std::log(other) : 0.0;
    return kPi * kPi / 8.0 - legendre_chi(other) - 0.5 * product;
  }
  const double square = x * x;
  double power = x;
  double sum = 0.0;
  for (int k = 1; power > 1e-17; k += 2) {
    sum += power / (static_cast<double>(k) * static_cast<double>(k));
    power *= square;
  }
  return sum;
}

/// Integral of ln coth(t / 2) from t = 0 to u, odd in u; pi^2 / 4 at infinity.
double coth_integral(double u) {
  const double whole = kPi * kPi / 4.0 - 2.0 * legendre_chi(std::exp(-std::abs(u)));
  return u < 0.0 ? -whole : whole;
}

/// What a piece of slope 1 adds to the phase at a point `m` steps before its start, times pi; m
/// from -size to size. From one take to the next, since an orbit asks for the same at each angle.
const Eigen::VectorXd& shares_of_pieces(double step, std::size_t size) {
  thread_local double of = 0.0;
  thread_local Eigen::VectorXd shares;
  const auto count = static_cast<Eigen::Index>(2 * size + 1);
  if (of == step && shares.size() >= count) return shares;
  of = step;
  shares.resize(count);
  const auto middle = static_cast<double>(size);
  double before = coth_integral(-middle * step);
  for (Eigen::Index i = 0; i < count; ++i) {
    const double after = coth_integral((static_cast<double>(i) + 1.0 - middle) * step);
    shares[i] = after - before;
    before = after;
  }
  return shares;
}

constexpr double kNepersPerDb = 0.11512925464970228;  // ln 10 / 20

}  // namespace

Response with_minimum_phase(const Response& curve, TailSlopes tails) {
  const std::size_t n = curve.size();
  std::vector<double> x(n);
  std::vector<double> gain(n);
  for (std::size_t i = 0; i < n; ++i) {
    x[i] = std::log(curve.axis()[i]);
    gain[i] = std::log(std::max(curve.magnitude(i), 1e-20));
  }
  const double below = tails.below_db * kNepersPerDb / std::log(2.0);
  const double above = tails.above_db * kNepersPerDb / std::log(2.0);
  std::vector<double> reach(n);
  std::vector<std::complex<double>> values(n);
  for (std::size_t i = 0; i < n; ++i) {
    for (std::size_t k = 0; k < n; ++k) reach[k] = coth_integral(x[k] - x[i]);
    constexpr double kEnd = kPi * kPi / 4.0;
    double phase = below * (reach.front() + kEnd) + above * (kEnd - reach.back());
    for (std::size_t k = 0; k + 1 < n; ++k)
      phase += (gain[k + 1] - gain[k]) / (x[k + 1] - x[k]) * (reach[k + 1] - reach[k]);
    values[i] = std::polar(curve.magnitude(i), phase / kPi);
  }
  return *Response::make(curve.axis(), std::move(values), curve.quantity(), curve.valid(), true);
}

std::vector<double> minimum_phase_on_grid(const std::vector<double>& log_magnitude, double step,
                                          double slope_below, double slope_above) {
  const std::size_t n = log_magnitude.size();
  if (n < 2) return std::vector<double>(n, 0.5 * kPi * slope_below);
  const auto pieces = static_cast<Eigen::Index>(n - 1);
  const Eigen::Map<const Eigen::VectorXd> logs(log_magnitude.data(), pieces + 1);
  const Eigen::VectorXd slopes = (logs.tail(pieces) - logs.head(pieces)) / step;
  const Eigen::VectorXd& shares = shares_of_pieces(step, n);
  const Eigen::Index middle = shares.size() / 2;
  // The tails take what is left of the whole integral on either side.
  constexpr double kWhole = kPi * kPi / 4.0;
  double to_front = 0.0;
  double to_back = shares.segment(middle, pieces).sum();
  std::vector<double> phase(n);
  for (Eigen::Index i = 0; i <= pieces; ++i) {
    const double own = slopes.dot(shares.segment(middle - i, pieces));
    phase[static_cast<std::size_t>(i)] =
        (own + slope_below * (kWhole - to_front) + slope_above * (kWhole - to_back)) / kPi;
    to_front += shares[middle + i];
    to_back -= shares[middle + pieces - 1 - i];
  }
  return phase;
}

TailSlopes end_slopes(const Response& curve) {
  const ValidRange own{curve.axis().front(), curve.axis().back()};
  const ValidRange valid = intersect(curve.valid(), own);
  const auto slope = [&](double from, double to) {
    double n = 0.0, sx = 0.0, sy = 0.0, sxx = 0.0, sxy = 0.0;
    for (std::size_t i = 0; i < curve.size(); ++i) {
      const double f = curve.axis()[i];
      if (f < from * (1.0 - 1e-9) || f > to * (1.0 + 1e-9)) continue;
      const double u = std::log2(f);
      const double level = to_level_db(curve.magnitude(i), 1.0);
      n += 1.0;
      sx += u;
      sy += level;
      sxx += u * u;
      sxy += u * level;
    }
    const double spread = n * sxx - sx * sx;
    return n > 1.0 && spread > 1e-12 ? (n * sxy - sx * sy) / spread : 0.0;
  };
  return {slope(valid.low_hz, 2.0 * valid.low_hz), slope(0.5 * valid.high_hz, valid.high_hz)};
}

}  // namespace lalometer
