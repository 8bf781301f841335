#include "acoustics/impedance/fit/rig_error.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "base/constants.h"

namespace lalometer {

namespace {

using Complex = std::complex<double>;

/// Waves of every length as likely; beside them a constant error, as that of the resistor which all
/// is compared with. Lengths and share are common practice, no source.
constexpr double kOctaves[] = {3.7, 5.3, 7.2, 9.2, 11.2, 13.1};
constexpr double kConstant = 0.1;
/// Variance of what scatters at least: no measured curve follows a model more closely.
constexpr double kLeastScatter = 1e-8;

/// Real and imaginary parts as rows of their own, real ones first; without phase the real ones.
Eigen::MatrixXd apart(const Eigen::Ref<const Eigen::MatrixXcd>& all, bool has_phase) {
  Eigen::MatrixXd rows(has_phase ? 2 * all.rows() : all.rows(), all.cols());
  rows.topRows(all.rows()) = all.real();
  if (has_phase) rows.bottomRows(all.rows()) = all.imag();
  return rows;
}

}  // namespace

RigShapes rig_shapes(double calibration, std::span<const double> log_frequency) {
  if (!(calibration > 0.0)) return {};
  const std::size_t n = log_frequency.size();
  RigShapes all = {std::vector<double>(n, calibration * std::sqrt(kConstant))};
  const double size = calibration / std::sqrt(static_cast<double>(std::size(kOctaves)));
  for (const double octaves : kOctaves) {
    const double turn = 2.0 * kPi / (octaves * std::log(2.0));
    std::vector<double> even(n);
    std::vector<double> odd(n);
    for (std::size_t i = 0; i < n; ++i) {
      even[i] = size * std::cos(turn * log_frequency[i]);
      odd[i] = size * std::sin(turn * log_frequency[i]);
    }
    all.push_back(std::move(even));
    all.push_back(std::move(odd));
  }
  return all;
}

BeyondRig beyond_the_rig(const RigShapes& shapes_told, std::span<const Complex> residuals,
                         std::span<const Complex> jacobian, std::span<const double> weights,
                         bool has_phase, double noise) {
  if (shapes_told.empty()) return {{residuals.begin(), residuals.end()}};
  const auto n = static_cast<Eigen::Index>(residuals.size());
  const auto p = static_cast<Eigen::Index>(jacobian.size() / residuals.size());
  const auto count = static_cast<Eigen::Index>(shapes_told.size());
  Eigen::MatrixXd shapes(n, count);
  for (Eigen::Index k = 0; k < count; ++k)
    shapes.col(k) =
        Eigen::Map<const Eigen::VectorXd>(shapes_told[static_cast<std::size_t>(k)].data(), n);
  const Eigen::Index of_rig = has_phase ? 2 * count : count;
  const Eigen::Index size = of_rig + p;
  const Eigen::Map<const Eigen::VectorXd> weight(weights.data(), n);
  const Eigen::MatrixXd j =
      apart(Eigen::Map<const Eigen::MatrixXcd>(jacobian.data(), n, p), has_phase);
  const Eigen::VectorXd r =
      apart(Eigen::Map<const Eigen::VectorXcd>(residuals.data(), n), has_phase);
  // One set of shapes for the magnitude, the same again for the phase: block by block.
  const Eigen::MatrixXd weighted = weight.asDiagonal() * shapes;
  const Eigen::MatrixXd among_shapes = shapes.transpose() * weighted;
  Eigen::MatrixXd normal = Eigen::MatrixXd::Zero(size, size);
  Eigen::VectorXd toward = Eigen::VectorXd::Zero(size);
  for (Eigen::Index kind = 0; kind * n < r.size(); ++kind) {
    const auto rows = j.middleRows(kind * n, n);
    const auto rest = r.segment(kind * n, n);
    normal.block(kind * count, kind * count, count, count) = among_shapes;
    normal.block(of_rig, kind * count, p, count).noalias() = rows.transpose() * weighted;
    const Eigen::MatrixXd weighted_rows = weight.asDiagonal() * rows;
    normal.bottomRightCorner(p, p).noalias() += weighted_rows.transpose() * rows;
    toward.segment(kind * count, count).noalias() = weighted.transpose() * rest;
    toward.tail(p).noalias() += weighted_rows.transpose() * rest;
  }
  normal.triangularView<Eigen::StrictlyUpper>() = normal.transpose();
  normal.diagonal().array() *= 1.0 + 1e-12;
  Eigen::VectorXd found;
  Eigen::VectorXd left;
  // Against what scatters, which is more than the noise where the model does not follow: an error
  // of the stated size explains no model that is wrong.
  double scatter = std::max(noise * noise, kLeastScatter);
  for (int round = 0; round < 3; ++round) {
    Eigen::MatrixXd weighed = normal;
    weighed.diagonal().head(of_rig).array() += scatter;
    found = weighed.ldlt().solve(toward);
    left = r - j * found.tail(p);
    double square = 0.0;
    for (Eigen::Index kind = 0; kind * n < r.size(); ++kind) {
      auto part = left.segment(kind * n, n);
      part.noalias() -= shapes * found.segment(kind * count, count);
      square += (part.array().square() * weight.array()).sum();
    }
    const double seen =
        square * static_cast<double>(n) / (static_cast<double>(r.size()) * weight.sum());
    if (seen < 1.2 * scatter) break;
    scatter = seen;
  }
  BeyondRig out{std::vector<Complex>(residuals.size()), scatter * found.head(of_rig).squaredNorm()};
  for (Eigen::Index i = 0; i < n; ++i)
    out.left[static_cast<std::size_t>(i)] = {left(i), has_phase ? left(n + i) : 0.0};
  return out;
}

}  // namespace lalometer
