#include "acoustics/curves/additive_fit.h"

#include <Eigen/Dense>
#include <cmath>

namespace lalometer {

std::optional<std::vector<Shift>> additive_fit(const std::vector<std::size_t>& levels,
                                               const std::vector<std::vector<std::size_t>>& of,
                                               const std::vector<double>& y) {
  // The first level of each factor is its zero.
  std::vector<Eigen::Index> first;
  Eigen::Index columns = 1;
  for (const std::size_t count : levels) {
    first.push_back(columns);
    columns += static_cast<Eigen::Index>(count) - 1;
  }
  const auto n = static_cast<Eigen::Index>(y.size());
  Eigen::MatrixXd x = Eigen::MatrixXd::Zero(n, columns);
  for (Eigen::Index i = 0; i < n; ++i) {
    x(i, 0) = 1.0;
    for (std::size_t k = 0; k < levels.size(); ++k)
      if (const std::size_t level = of[static_cast<std::size_t>(i)][k]; level > 0)
        x(i, first[k] + static_cast<Eigen::Index>(level) - 1) = 1.0;
  }
  const Eigen::MatrixXd normal = x.transpose() * x;
  const Eigen::FullPivLU<Eigen::MatrixXd> lu(normal);
  if (!lu.isInvertible()) return std::nullopt;
  const Eigen::MatrixXd covariance = lu.inverse();
  const Eigen::VectorXd beta =
      covariance * (x.transpose() * Eigen::Map<const Eigen::VectorXd>(y.data(), n));
  std::vector<Shift> shifts;
  for (std::size_t k = 0; k < levels.size(); ++k) {
    const Eigen::Index last = first[k] + static_cast<Eigen::Index>(levels[k]) - 2;
    shifts.push_back({beta(last), std::sqrt(covariance(last, last))});
  }
  return shifts;
}

}  // namespace lalometer
