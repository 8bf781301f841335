#include "acoustics/impedance/network_ground.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

constexpr std::size_t kMostPoles = 12;
constexpr int kRounds = 5;  ///< in which the poles settle
/// The poles are sought on so many points at most; enough for broad ones.
constexpr std::size_t kMostPoints = 300;
constexpr double kHuber = 2.5;
/// A resonance of coils and capacitors may be three times sharper than told, where it is taller
/// over the magnitude than a loop of a cone or a box (common practice, no source).
constexpr double kSharper = 3.0;
constexpr double kNetworksHeight = 0.25;

/// Points, each with its weight: equal for equal parts of an octave, over the magnitude.
struct Samples {
  std::vector<Complex> s;  ///< j f / unit
  std::vector<Complex> z;
  std::vector<double> weight;
};

/// The values of partial fractions at s, real coefficients: a real pole has one column, a pair two.
void fractions(const std::vector<Complex>& poles, Complex s, std::vector<Complex>& out) {
  out.clear();
  for (std::size_t k = 0; k < poles.size(); ++k) {
    const Complex a = poles[k];
    if (a.imag() == 0.0) {
      out.push_back(1.0 / (s - a.real()));
      continue;
    }
    const Complex one = 1.0 / (s - a);
    const Complex other = 1.0 / (s - std::conj(a));
    out.push_back(one + other);
    out.push_back(Complex(0.0, 1.0) * (one - other));
    ++k;  // the conjugate follows
  }
}

/// Least squares with columns brought to one size.
Eigen::VectorXd solved(Eigen::MatrixXd& a, const Eigen::VectorXd& b) {
  const Eigen::VectorXd scale = (a.colwise().norm().array() + 1e-300).inverse();
  a = a * scale.asDiagonal();
  return scale.asDiagonal() * a.householderQr().solve(b);
}

std::vector<Complex> first_poles(std::size_t count, double low, double high) {
  std::vector<Complex> poles;
  const std::size_t pairs = count / 2;
  for (std::size_t k = 0; k < pairs; ++k) {
    const double share = (static_cast<double>(k) + 0.5) / static_cast<double>(pairs);
    const double at = low * std::pow(high / low, share);
    poles.emplace_back(-0.5 * at, at);
    poles.emplace_back(-0.5 * at, -at);
  }
  if (count % 2 == 1) poles.emplace_back(-std::sqrt(low * high), 0.0);
  return poles;
}

/// Stable and no sharper than allowed; pairs next to each other.
std::vector<Complex> tamed(const Eigen::VectorXcd& raw, double most_q) {
  std::vector<Complex> poles;
  for (Eigen::Index k = 0; k < raw.size(); ++k) {
    Complex a = raw(k);
    if (a.imag() < 0.0) continue;  // comes with its partner
    const double size = std::max(std::abs(a), 1e-9);
    if (a.imag() < 1e-9 * size) {
      poles.emplace_back(-std::max(std::abs(a.real()), 1e-9), 0.0);
      continue;
    }
    const double decay = std::max(std::abs(a.real()), size / (2.0 * most_q));
    const double turn = std::sqrt(std::max(size * size - decay * decay, 1e-12 * size * size));
    poles.emplace_back(-decay, turn);
    poles.emplace_back(-decay, -turn);
  }
  return poles;
}

/// One round of vector fitting: new poles are the zeros of the weighting function.
std::vector<Complex> moved(const Samples& p, const std::vector<Complex>& poles, double most_q) {
  const auto n = static_cast<Eigen::Index>(p.s.size());
  const auto m = static_cast<Eigen::Index>(poles.size());
  Eigen::MatrixXd a(2 * n, 2 * m + 2);
  Eigen::VectorXd b(2 * n);
  std::vector<Complex> part;
  for (Eigen::Index i = 0; i < n; ++i) {
    const auto at = static_cast<std::size_t>(i);
    fractions(poles, p.s[at], part);
    const double w = p.weight[at];
    const auto put = [&](Eigen::Index column, Complex value) {
      a(2 * i, column) = w * value.real();
      a(2 * i + 1, column) = w * value.imag();
    };
    for (Eigen::Index k = 0; k < m; ++k) {
      put(k, part[static_cast<std::size_t>(k)]);
      put(m + 2 + k, -part[static_cast<std::size_t>(k)] * p.z[at]);
    }
    put(m, 1.0);
    put(m + 1, p.s[at]);
    b(2 * i) = w * p.z[at].real();
    b(2 * i + 1) = w * p.z[at].imag();
  }
  const Eigen::VectorXd x = solved(a, b);
  // Zeros of 1 + sum c_k / (s - a_k): eigenvalues of A - b c'.
  Eigen::MatrixXd state = Eigen::MatrixXd::Zero(m, m);
  Eigen::VectorXd drive(m);
  for (Eigen::Index k = 0; k < m; ++k) {
    const Complex pole = poles[static_cast<std::size_t>(k)];
    if (pole.imag() == 0.0) {
      state(k, k) = pole.real();
      drive(k) = 1.0;
      continue;
    }
    state(k, k) = state(k + 1, k + 1) = pole.real();
    state(k, k + 1) = pole.imag();
    state(k + 1, k) = -pole.imag();
    drive(k) = 2.0;
    drive(k + 1) = 0.0;
    ++k;
  }
  state -= drive * x.tail(m).transpose();
  return tamed(state.eigenvalues(), most_q);
}

struct Fit {
  std::vector<Complex> poles;
  Eigen::VectorXd x;        ///< of the fractions, then constant and slope
  std::vector<double> off;  ///< relative departure of each point
};

Complex value_of(const Fit& fit, Complex s, std::vector<Complex>& part) {
  fractions(fit.poles, s, part);
  const auto m = static_cast<Eigen::Index>(part.size());
  Complex sum = fit.x(m) + fit.x(m + 1) * s;
  for (Eigen::Index k = 0; k < m; ++k) sum += fit.x(k) * part[static_cast<std::size_t>(k)];
  return sum;
}

/// Residues for given poles.
Fit with_residues(const Samples& p, std::vector<Complex> poles) {
  const auto n = static_cast<Eigen::Index>(p.s.size());
  const auto m = static_cast<Eigen::Index>(poles.size());
  Eigen::MatrixXd a(2 * n, m + 2);
  Eigen::VectorXd b(2 * n);
  std::vector<Complex> part;
  for (Eigen::Index i = 0; i < n; ++i) {
    const auto at = static_cast<std::size_t>(i);
    fractions(poles, p.s[at], part);
    part.emplace_back(1.0);
    part.push_back(p.s[at]);
    for (Eigen::Index k = 0; k < m + 2; ++k) {
      a(2 * i, k) = p.weight[at] * part[static_cast<std::size_t>(k)].real();
      a(2 * i + 1, k) = p.weight[at] * part[static_cast<std::size_t>(k)].imag();
    }
    b(2 * i) = p.weight[at] * p.z[at].real();
    b(2 * i + 1) = p.weight[at] * p.z[at].imag();
  }
  Fit fit{std::move(poles), solved(a, b), {}};
  for (std::size_t i = 0; i < p.s.size(); ++i)
    fit.off.push_back(std::abs(value_of(fit, p.s[i], part) - p.z[i]) / std::abs(p.z[i]));
  return fit;
}

double middle_of(std::vector<double> sizes) {
  auto middle = sizes.begin() + static_cast<std::ptrdiff_t>(sizes.size() / 2);
  std::nth_element(sizes.begin(), middle, sizes.end());
  return *middle;
}

/// What a pair of poles adds at its own frequency, over the magnitude there.
double height_of(const Fit& fit, std::size_t pole) {
  const Complex a = fit.poles[pole];
  const auto at = static_cast<Eigen::Index>(pole);
  std::vector<Complex> part;
  const Complex there = value_of(fit, Complex(0.0, a.imag()), part);
  return std::hypot(fit.x(at), fit.x(at + 1)) / std::abs(a.real()) / std::abs(there);
}

/// Without the pairs that are sharp and low: loops, and what the noise made.
std::vector<Complex> without_loops(const Fit& fit, double most_q) {
  std::vector<Complex> kept;
  for (std::size_t k = 0; k < fit.poles.size(); ++k) {
    const Complex a = fit.poles[k];
    kept.push_back(a);
    if (a.imag() == 0.0) continue;
    const bool sharp = std::abs(a) > 2.0 * most_q * std::abs(a.real());
    if (sharp && height_of(fit, k) < kNetworksHeight)
      kept.pop_back();
    else
      kept.push_back(fit.poles[k + 1]);
    ++k;
  }
  return kept;
}

/// Poles and residues, then twice more with far points held back.
Fit fitted(const Samples& plain, std::size_t order, double most_q) {
  Samples p = plain;
  std::vector<Complex> poles = first_poles(order, p.s.front().imag(), p.s.back().imag());
  Fit fit;
  for (int pass = 0; pass < 3; ++pass) {
    for (int round = 0; round < (pass == 0 ? kRounds : 1); ++round)
      poles = moved(p, poles, kSharper * most_q);
    fit = with_residues(p, poles);
    const std::vector<Complex> kept = without_loops(fit, most_q);
    if (kept.size() < poles.size()) fit = with_residues(p, kept);
    // Median to standard deviation of one part of a complex normal number. Files are rounded.
    const double sigma = std::max(1e-5, middle_of(fit.off) / 1.1774);
    for (std::size_t i = 0; i < p.s.size(); ++i)
      p.weight[i] =
          plain.weight[i] * std::sqrt(std::min(1.0, kHuber * sigma / (fit.off[i] + 1e-300)));
  }
  return fit;
}

/// Bayesian information criterion; far points count as their Huber loss.
double criterion(const Fit& fit, std::size_t order) {
  const double sigma = std::max(1e-5, middle_of(fit.off) / 1.1774);
  double sum = 0.0;
  for (const double off : fit.off)
    sum += off < kHuber * sigma ? off * off : kHuber * sigma * (2.0 * off - kHuber * sigma);
  const double numbers = 2.0 * static_cast<double>(fit.off.size());
  return numbers * std::log(sum / numbers + 1e-12) +
         static_cast<double>(2 * order + 2) * std::log(numbers);
}

}  // namespace

NetworkGround::NetworkGround(std::vector<Complex> poles, std::vector<Complex> residues,
                             double constant, double slope, double unit_hz)
    : poles_(std::move(poles)),
      residues_(std::move(residues)),
      constant_(constant),
      slope_(slope),
      unit_hz_(unit_hz) {}

Complex NetworkGround::at(double frequency_hz) const {
  const Complex s(0.0, frequency_hz / unit_hz_);
  Complex sum = constant_ + slope_ * s;
  for (std::size_t k = 0; k < poles_.size(); ++k) sum += residues_[k] / (s - poles_[k]);
  return sum;
}

namespace {

/// Neighbours are averaged: a broad pole does not bend within a group.
Samples grouped(std::span<const double> frequency_hz, std::span<const Complex> impedance,
                double unit) {
  Samples p;
  const std::size_t n = frequency_hz.size();
  const std::size_t group = (n + kMostPoints - 1) / kMostPoints;
  for (std::size_t from = 0; from < n; from += group) {
    const std::size_t to = std::min(from + group, n);
    double f = 0.0;
    Complex z = 0.0;
    for (std::size_t i = from; i < to; ++i) {
      f += frequency_hz[i];
      z += impedance[i];
    }
    const auto count = static_cast<double>(to - from);
    if (!(std::abs(z) > 0.0)) continue;
    const double apart =
        std::log(frequency_hz[std::min(to, n - 1)] / frequency_hz[from == 0 ? 0 : from - 1]);
    p.s.emplace_back(0.0, f / count / unit);
    p.z.push_back(z / count);
    p.weight.push_back(std::sqrt(apart) / std::abs(z / count));
  }
  return p;
}

NetworkGround ground_of(const Fit& fit, double unit) {
  std::vector<Complex> residues;
  for (std::size_t k = 0; k < fit.poles.size(); ++k) {
    const auto at = static_cast<Eigen::Index>(k);
    if (fit.poles[k].imag() == 0.0) {
      residues.emplace_back(fit.x(at));
      continue;
    }
    const Complex c(fit.x(at), fit.x(at + 1));
    residues.push_back(c);
    residues.push_back(std::conj(c));
    ++k;
  }
  const auto m = static_cast<Eigen::Index>(fit.poles.size());
  return {fit.poles, std::move(residues), fit.x(m), fit.x(m + 1), unit};
}

}  // namespace

std::optional<NetworkGround> network_ground(std::span<const double> frequency_hz,
                                            std::span<const Complex> impedance, double most_q) {
  if (frequency_hz.size() < 16 || impedance.size() != frequency_hz.size()) return std::nullopt;
  const double unit = std::sqrt(frequency_hz.front() * frequency_hz.back());
  const Samples p = grouped(frequency_hz, impedance, unit);
  if (p.s.size() < 16) return std::nullopt;
  std::optional<Fit> best;
  double least = 0.0;
  const std::size_t most = std::min(kMostPoles, p.s.size() / 4);
  for (std::size_t order = 2; order <= most; order += 2) {
    Fit fit = fitted(p, order, most_q);
    const double now = criterion(fit, fit.poles.size());
    if (!std::isfinite(now) || (best && now >= least)) continue;
    least = now;
    best = std::move(fit);
  }
  if (!best) return std::nullopt;
  return ground_of(*best, unit);
}

}  // namespace lalometer
