#include "acoustics/decay/pole_fit.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
using Matrix = Eigen::MatrixXcd;
using Vector = Eigen::VectorXcd;

constexpr std::size_t kMostPoles = 7;

/// Amplitudes at the arrival of given poles, and what they leave.
double fit_amplitudes(const SubBand& s, std::vector<Pole>& poles) {
  const auto count = s.values.size();
  const auto n = static_cast<Eigen::Index>(poles.size());
  Matrix basis(count, n);
  for (Eigen::Index p = 0; p < n; ++p) {
    const Complex rate =
        poles[static_cast<std::size_t>(p)].rate - Complex(0.0, 2.0 * kPi * s.centre_hz);
    for (Eigen::Index m = 0; m < count; ++m)
      basis(m, p) = std::exp(rate * (s.start_s + s.step_s * static_cast<double>(m)));
  }
  const Vector a = basis.colPivHouseholderQr().solve(s.values);
  for (Eigen::Index p = 0; p < n; ++p) poles[static_cast<std::size_t>(p)].amplitude = a[p];
  return (basis * a - s.values).squaredNorm();
}

/// The directions that a place's values go, the strongest first.
Matrix directions_of(const SubBand& s) {
  const auto count = s.values.size();
  const Eigen::Index width = count / 3;
  Matrix hankel(count - width, width + 1);
  for (Eigen::Index r = 0; r < hankel.rows(); ++r)
    for (Eigen::Index c = 0; c <= width; ++c) hankel(r, c) = s.values[r + c];
  const Eigen::SelfAdjointEigenSolver<Matrix> solver(hankel.adjoint() * hankel);
  return solver.eigenvectors().rowwise().reverse();
}

/// So many poles out of them.
std::vector<Pole> pencil(const SubBand& s, const Matrix& directions, Eigen::Index order) {
  const Eigen::Index width = directions.rows() - 1;
  if (order > width) return {};
  const Matrix v = directions.leftCols(order);
  const Matrix turn = (v.topRows(width).adjoint() * v.topRows(width))
                          .ldlt()
                          .solve(v.topRows(width).adjoint() * v.bottomRows(width));
  const Eigen::ComplexEigenSolver<Matrix> solver(turn, false);
  if (solver.info() != Eigen::Success) return {};
  std::vector<Pole> poles;
  for (const Complex& each : solver.eigenvalues()) {
    const Complex z = std::conj(each);
    if (!(std::abs(z) > 1e-3) || std::abs(z) > 1.0) continue;
    poles.push_back({std::log(z) / s.step_s + Complex(0.0, 2.0 * kPi * s.centre_hz), 0.0});
  }
  return poles;
}

/// The model's columns: of each pole its turn, and how that changes with its rate.
Matrix columns_of(const SubBand& s, const std::vector<Pole>& poles) {
  const auto count = s.values.size();
  Matrix j(count, 2 * static_cast<Eigen::Index>(poles.size()));
  for (Eigen::Index p = 0; p < j.cols() / 2; ++p) {
    const Pole& pole = poles[static_cast<std::size_t>(p)];
    const Complex rate = pole.rate - Complex(0.0, 2.0 * kPi * s.centre_hz);
    Complex e = std::exp(rate * s.start_s);
    const Complex turn = std::exp(rate * s.step_s);
    for (Eigen::Index m = 0; m < count; ++m, e *= turn) {
      j(m, 2 * p) = e;
      j(m, 2 * p + 1) = pole.amplitude * (s.start_s + s.step_s * static_cast<double>(m)) * e;
    }
  }
  return j;
}

/// Energy of one pole over what is left, while the pole falls by 12 dB: the least of the parts of
/// that time. A late pulse is not a turn that decays evenly; and where many turns put one together,
/// they cancel between the pulses: then it is nothing.
double over_rest(const SubBand& s, const Pole& pole, const Vector& turn, const Vector& rest) {
  constexpr Eigen::Index kShortest = 4;
  constexpr double kLeastOfOwn = 0.12;
  const double until_s = 0.6 * std::numbers::ln10 * std::max(pole.tau_s(), 0.0);
  const Eigen::Index whole =
      std::clamp(static_cast<Eigen::Index>(until_s / s.step_s), kShortest, s.values.size());
  const Eigen::Index parts = std::clamp(whole / kShortest, Eigen::Index{1}, Eigen::Index{6});
  const Eigen::Index part = whole / parts;
  double least = 1e300;
  for (Eigen::Index k = 0; k < parts; ++k) {
    const double own = (pole.amplitude * turn.segment(k * part, part)).squaredNorm();
    if (s.values.segment(k * part, part).squaredNorm() < kLeastOfOwn * own) return 0.0;
    least = std::min(least, own / std::max(rest.segment(k * part, part).squaredNorm(), 1e-300));
  }
  return least;
}

}  // namespace

double bell_at(double f, const Bell& bell, double centre_hz) {
  const double x = (f - centre_hz) / (bell.width * centre_hz);
  return std::exp(-0.5 * x * x);
}

Complex bell_at(const Complex& rate, const Bell& bell, double centre_hz) {
  const Complex f = rate / Complex(0.0, 2.0 * kPi);
  const Complex x = (f - centre_hz) / (bell.width * centre_hz);
  return std::exp(-0.5 * x * x);
}

std::optional<PoleFit> refined_poles(const SubBand& s, std::vector<Pole> poles, int rounds) {
  const auto count = s.values.size();
  const auto n = static_cast<Eigen::Index>(poles.size());
  if (n == 0 || count <= 2 * n + 2) return std::nullopt;
  double left = fit_amplitudes(s, poles);
  for (int round = 0; round < rounds; ++round) {
    const Matrix j = columns_of(s, poles);
    Vector off = s.values;
    for (Eigen::Index p = 0; p < n; ++p)
      off -= poles[static_cast<std::size_t>(p)].amplitude * j.col(2 * p);
    const Vector step = j.colPivHouseholderQr().solve(off);
    std::vector<Pole> next = poles;
    double moved = 0.0;
    for (Eigen::Index p = 0; p < n; ++p) {
      auto& pole = next[static_cast<std::size_t>(p)];
      pole.rate += step[2 * p + 1];
      moved = std::max(moved, std::abs(step[2 * p + 1]) / std::abs(pole.rate));
      if (!std::isfinite(std::abs(pole.rate)) || pole.rate.real() > 0.5 / s.step_s)
        return std::nullopt;
    }
    const double now = fit_amplitudes(s, next);
    if (!(now <= left * (1.0 + 1e-9))) break;
    poles = std::move(next);
    left = now;
    if (moved < 1e-7) break;
  }
  const Matrix j = columns_of(s, poles);
  Vector rest = s.values;
  for (Eigen::Index p = 0; p < n; ++p)
    rest -= poles[static_cast<std::size_t>(p)].amplitude * j.col(2 * p);
  // White noise comes through the bell strongest in its middle: there its density is that many
  // times the mean over all that the steps tell apart.
  const double colour = 1.0 / (s.bell.step * s.bell.width * std::sqrt(kPi));
  // The number of poles was looked for too, which no formula counts: of 150 planted ridges the
  // interval held 89 % without it.
  constexpr double kSearched = 1.25 * 1.25;
  const double variance = kSearched * colour * left / static_cast<double>(count - 2 * n);
  const Eigen::VectorXd scale = j.colwise().norm().transpose().cwiseMax(1e-300);
  const Matrix scaled = j * scale.cwiseInverse().asDiagonal();
  const Matrix covariance =
      Matrix(scaled.adjoint() * scaled).ldlt().solve(Matrix::Identity(2 * n, 2 * n));
  PoleFit fit{.found = {}, .left = left};
  for (Eigen::Index p = 0; p < n; ++p) {
    FoundPole f{.pole = poles[static_cast<std::size_t>(p)]};
    const double weight = std::min(bell_at(f.pole.frequency_hz(), s.bell, s.centre_hz), 1.0);
    // Of a complex parameter each part has half of the variance.
    const double spread =
        weight *
        std::sqrt(std::max(0.5 * variance * covariance(2 * p + 1, 2 * p + 1).real(), 0.0)) /
        scale[2 * p + 1];
    f.frequency_spread = spread / std::abs(f.pole.rate.imag());
    f.tau_spread = spread / std::abs(f.pole.rate.real());
    f.off_centre = std::abs(std::log2(std::max(f.pole.frequency_hz(), 1.0) / s.centre_hz));
    f.over_rest = over_rest(s, f.pole, j.col(2 * p), rest);
    fit.found.push_back(f);
  }
  return fit;
}

std::optional<PoleFit> fitted_poles(const SubBand& s) {
  const Matrix directions = directions_of(s);
  const auto count = static_cast<double>(s.values.size());
  // Through the bell only so many of the values are independent.
  const double independent = 3.0 * count * s.bell.step * s.bell.width * std::sqrt(kPi);
  std::optional<PoleFit> best;
  double least = independent * std::log(std::max(s.values.squaredNorm(), 1e-300));
  const double unheard = 1e-9 * s.values.squaredNorm();
  for (Eigen::Index order = 1; order <= static_cast<Eigen::Index>(kMostPoles); ++order) {
    auto fit = refined_poles(s, pencil(s, directions, order), 6);
    if (!fit) continue;
    const double price = independent * std::log(std::max(fit->left, unheard)) +
                         4.0 * static_cast<double>(order) * std::log(independent);
    if (price < least) {
      least = price;
      best = std::move(fit);
    }
    if (best && best->left < unheard) break;
  }
  return best;
}

}  // namespace lalometer
