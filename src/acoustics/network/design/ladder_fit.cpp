#include "acoustics/network/design/ladder_fit.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

namespace lalometer {
namespace {

double cost_of(const std::vector<double>& r) {
  double sum = 0.0;
  for (const double x : r) sum += x * x;
  return std::isfinite(sum) ? sum : 1e300;
}

}  // namespace

LadderFit fitted_ladder(const LadderResidual& residual, LadderTheta theta,
                        const std::vector<ElementRange>& ranges, int rounds,
                        const std::stop_token& stop) {
  constexpr double kStep = 1e-4;
  const auto n = static_cast<Eigen::Index>(theta.size());
  std::vector<double> r = residual(theta);
  double cost = cost_of(r);
  double damping = 0.1;
  for (int round = 0; round < rounds && !stop.stop_requested(); ++round) {
    const auto m = static_cast<Eigen::Index>(r.size());
    Eigen::MatrixXd j(m, n);
    for (Eigen::Index k = 0; k < n; ++k) {
      LadderTheta moved = theta;
      moved[static_cast<std::size_t>(k)] += kStep;
      const std::vector<double> there = residual(moved);
      for (Eigen::Index i = 0; i < m; ++i)
        j(i, k) = (there[static_cast<std::size_t>(i)] - r[static_cast<std::size_t>(i)]) / kStep;
    }
    const Eigen::MatrixXd normal = j.transpose() * j;
    const Eigen::VectorXd slope = j.transpose() * Eigen::Map<const Eigen::VectorXd>(r.data(), m);
    bool better = false;
    for (int attempt = 0; attempt < 6 && !better; ++attempt) {
      Eigen::MatrixXd damped = normal;
      // Elements that do nothing here must not run away.
      damped.diagonal().array() +=
          damping *
          (normal.diagonal().array() + 1e-3 * normal.trace() / static_cast<double>(n) + 1e-9);
      const Eigen::VectorXd step = damped.ldlt().solve(slope);
      LadderTheta next = theta;
      for (std::size_t k = 0; k < next.size(); ++k)
        next[k] = std::clamp(next[k] - std::clamp(step(static_cast<Eigen::Index>(k)), -0.7, 0.7),
                             ranges[k].low, ranges[k].high);
      std::vector<double> there = residual(next);
      const double after = cost_of(there);
      if (after < cost) {
        better = true;
        const bool little = cost - after < 1e-3 * cost;
        theta = std::move(next);
        r = std::move(there);
        cost = after;
        damping = std::max(0.3 * damping, 1e-5);
        if (little) return {std::move(theta), cost};
      } else {
        damping *= 4.0;
      }
    }
    if (!better) break;
  }
  return {std::move(theta), cost};
}

}  // namespace lalometer
