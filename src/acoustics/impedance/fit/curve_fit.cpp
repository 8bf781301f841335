#include "acoustics/impedance/fit/curve_fit.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "acoustics/impedance/fit/rig_error.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
constexpr double kHuber = 3.0;
constexpr int kMostSteps = 80;
/// Of the cost: with a thousand points a thousandth of a squared deviation.
constexpr double kEnough = 1e-6;
/// Where only models are compared.
constexpr double kEnoughToExplore = 1e-4;
/// Of the variance: which model and which points count was decided on the same data (found by
/// benchmarks/accuracy_run).
constexpr double kChosenOnTheSameData = 1.12;

class Fitter {
 public:
  Fitter(const CurveFitInput& input, const CurveModel& model, std::vector<double> start,
         std::span<const FitRange> limits)
      : in_(input),
        model_(model),
        limits_(limits),
        n_(input.measured.size()),
        p_(start.size()),
        theta_(std::move(start)),
        values_(n_),
        jacobian_(n_ * p_),
        pull_(n_, 1.0) {
    // By the complex value: a rig multiplies the impedance, and where its phase turns, as about a
    // resonance, an error relative to the magnitude alone would turn with it.
    for (const Complex& z : in_.measured)
      per_ohm_.push_back(in_.has_phase ? 1.0 / z : Complex(1.0 / std::abs(z)));
  }

  CurveFit run(FitEffort effort) {
    const bool explore = effort == FitEffort::kExplore;
    residuals_.resize(n_);
    enough_ = explore ? kEnoughToExplore : kEnough;
    const double followed = explore ? 3e-5 : 3e-6;
    for (const double weight : in_.weights) floor_ += weight * followed * followed;
    bool converged = descend(explore ? 45 : kMostSteps);
    for (int round = 0; round < (explore ? 2 : 3); ++round) {
      if (!reweigh()) break;
      converged = descend(explore ? 8 : 12);
    }
    return result(converged);
  }

 private:
  /// Relative departure at theta; false where the model gives no number.
  bool depart(std::span<const double> theta, std::vector<Complex>& out, bool derive) {
    model_(theta, values_, derive ? std::span<Complex>(jacobian_) : std::span<Complex>());
    for (std::size_t i = 0; i < n_; ++i) {
      out[i] = in_.has_phase ? (values_[i] - in_.measured[i]) * per_ohm_[i]
                             : Complex(std::log(std::abs(values_[i]) * per_ohm_[i].real()));
      if (!std::isfinite(out[i].real()) || !std::isfinite(out[i].imag())) return false;
    }
    if (!derive) return true;
    for (std::size_t k = 0; k < p_; ++k) {
      Complex* row = &jacobian_[k * n_];
      for (std::size_t i = 0; i < n_; ++i) {
        row[i] = in_.has_phase ? row[i] * per_ohm_[i] : Complex((row[i] / values_[i]).real());
      }
    }
    return true;
  }
  /// Of a squared departure of one deviation, in the unit of squared residuals.
  [[nodiscard]] double prior_weight() const { return in_.noise * in_.noise; }

  [[nodiscard]] double cost(const std::vector<Complex>& r, const std::vector<double>& theta) const {
    double sum = 0.0;
    for (const Prior& prior : in_.priors) {
      const double off = prior.departure(theta[prior.parameter]);
      sum += prior_weight() * off * off;
    }
    for (std::size_t i = 0; i < n_; ++i) sum += in_.weights[i] * pull_[i] * std::norm(r[i]);
    return sum;
  }

  /// Steps until a step no longer helps.
  bool descend(int most_steps) {
    if (!depart(theta_, residuals_, true)) return false;
    const auto p = static_cast<Eigen::Index>(p_);
    double damping = 1e-3;
    double now = cost(residuals_, theta_);
    std::vector<Complex> tried(n_);
    Eigen::MatrixXd normal(p, p);
    Eigen::VectorXd gradient(p);
    for (int step = 0; step < most_steps; ++step) {
      normal_equations(normal, gradient);
      hold_at_limits(normal, gradient);
      bool better = false;
      double gain = 0.0;
      for (int attempt = 0; attempt < 12 && !better; ++attempt) {
        Eigen::MatrixXd damped = normal;
        for (Eigen::Index k = 0; k < p; ++k)
          damped(k, k) += damping * normal(k, k) + 1e-14 * (1.0 + normal.trace());
        const Eigen::VectorXd move = damped.ldlt().solve(gradient);
        std::vector<double> next(p_);
        for (std::size_t k = 0; k < p_; ++k)
          next[k] = std::clamp(theta_[k] - move(static_cast<Eigen::Index>(k)), limits_[k].low,
                               limits_[k].high);
        if (depart(next, tried, false)) {
          const double then = cost(tried, next);
          if (then < now) {
            better = true;
            gain = (now - then) / (now + 1e-300);
            damping = std::max(damping * 0.2, 1e-9);
            now = then;
            theta_ = std::move(next);
            continue;
          }
        }
        damping *= 6.0;
      }
      if (!better) return true;
      depart(theta_, residuals_, true);
      // Far less than the noise moves the figures; or than any measured curve follows a model.
      if (gain < enough_ || now < floor_) return true;
    }
    return false;
  }

  /// A parameter that would leave its limits stays out of the step: cut off afterwards, it would
  /// spoil what the others move.
  void hold_at_limits(Eigen::MatrixXd& normal, Eigen::VectorXd& gradient) const {
    for (std::size_t k = 0; k < p_; ++k) {
      const auto row = static_cast<Eigen::Index>(k);
      if ((theta_[k] <= limits_[k].low && gradient(row) > 0.0) ||
          (theta_[k] >= limits_[k].high && gradient(row) < 0.0)) {
        const double scale = normal(row, row) + 1e-300;
        normal.row(row).setZero();
        normal.col(row).setZero();
        normal(row, row) = scale;
        gradient(row) = 0.0;
      }
    }
  }

  void normal_equations(Eigen::MatrixXd& normal, Eigen::VectorXd& gradient) const {
    using Rows = Eigen::Map<const Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic>>;
    // Real and imaginary parts lie next to each other: a complex column is a real one of twice the
    // length.
    const auto rows = static_cast<Eigen::Index>(2 * n_);
    const auto p = static_cast<Eigen::Index>(p_);
    const Rows j(reinterpret_cast<const double*>(jacobian_.data()), rows, p);
    const Eigen::Map<const Eigen::VectorXd> r(reinterpret_cast<const double*>(residuals_.data()),
                                              rows);
    Eigen::VectorXd w(rows);
    for (std::size_t i = 0; i < n_; ++i) {
      const double weight = in_.weights[i] * pull_[i];
      w(static_cast<Eigen::Index>(2 * i)) = weight;
      w(static_cast<Eigen::Index>(2 * i + 1)) = weight;
    }
    const Eigen::MatrixXd weighted = j.array().colwise() * w.array();
    normal.triangularView<Eigen::Lower>() = weighted.transpose() * j;
    normal.triangularView<Eigen::StrictlyUpper>() = normal.transpose();
    gradient.noalias() = weighted.transpose() * r;
    for (const Prior& prior : in_.priors) {
      const auto k = static_cast<Eigen::Index>(prior.parameter);
      const double theta = theta_[prior.parameter];
      const double slope = prior.slope(theta);
      normal(k, k) += prior_weight() * slope * slope;
      gradient(k) += prior_weight() * slope * prior.departure(theta);
    }
  }

  /// Huber's weights; false where nothing changes any more.
  bool reweigh() {
    std::vector<double> sizes(n_);
    for (std::size_t i = 0; i < n_; ++i) sizes[i] = std::abs(residuals_[i]);
    auto middle = sizes.begin() + static_cast<std::ptrdiff_t>(n_ / 2);
    std::nth_element(sizes.begin(), middle, sizes.end());
    // Median of the length of a complex normal number, of a real one.
    const double sigma = *middle / (in_.has_phase ? 1.1774 : 0.6745);
    if (!(sigma > 1e-9)) return false;
    double moved = 0.0;
    for (std::size_t i = 0; i < n_; ++i) {
      const double weight = std::min(1.0, kHuber * sigma / std::abs(residuals_[i]));
      moved = std::max(moved, std::abs(weight - pull_[i]));
      pull_[i] = weight;
    }
    return moved > 0.02;
  }

  CurveFit result(bool converged) {
    CurveFit fit;
    depart(theta_, residuals_, true);
    const auto p = static_cast<Eigen::Index>(p_);
    Eigen::MatrixXd normal(p, p);
    Eigen::VectorXd gradient(p);
    normal_equations(normal, gradient);
    double weight_sum = 0.0;
    double square_sum = 0.0;
    for (std::size_t i = 0; i < n_; ++i) {
      weight_sum += in_.weights[i];
      square_sum += in_.weights[i] * pull_[i] * std::norm(residuals_[i]);
    }
    const double numbers = (in_.has_phase ? 2.0 : 1.0) * static_cast<double>(n_);
    fit.rms = std::sqrt(square_sum / weight_sum);
    std::vector<double> sizes(n_);
    for (std::size_t i = 0; i < n_; ++i) sizes[i] = std::abs(residuals_[i]);
    const auto upper = sizes.begin() + static_cast<std::ptrdiff_t>(3 * n_ / 4);
    std::nth_element(sizes.begin(), upper, sizes.end());
    // Upper quartile of the length of a complex normal number, of a real one.
    fit.typical = *upper / (in_.has_phase ? 1.6651 : 1.1503);
    const bool placed = in_.log_frequency.size() == n_;
    const RigShapes shapes = placed ? rig_shapes(in_.calibration, in_.log_frequency) : RigShapes{};
    std::vector<double> weights(n_);
    for (std::size_t i = 0; i < n_; ++i) weights[i] = in_.weights[i] * pull_[i];
    const BeyondRig beyond =
        beyond_the_rig(shapes, residuals_, jacobian_, weights, in_.has_phase, in_.noise);
    const std::vector<Complex>& left = beyond.left;
    Eigen::MatrixXd scatter = scattered(left);
    scatter *= numbers / std::max(1.0, numbers - static_cast<double>(p_)) * kChosenOnTheSameData;
    for (const Prior& prior : in_.priors) {
      const auto k = static_cast<Eigen::Index>(prior.parameter);
      const double slope = prior.slope(theta_[prior.parameter]);
      scatter(k, k) += prior_weight() * slope * slope * in_.noise * in_.noise;
    }
    // What stands at its limit does not vary.
    for (std::size_t k = 0; k < p_; ++k) {
      if (theta_[k] > limits_[k].low && theta_[k] < limits_[k].high) continue;
      // A loss that came out as none may still be some.
      if (std::any_of(in_.priors.begin(), in_.priors.end(),
                      [&](const Prior& prior) { return prior.parameter == k && prior.of_inverse; }))
        continue;
      const auto row = static_cast<Eigen::Index>(k);
      const double scale = normal(row, row) + 1e-300;
      normal.row(row).setZero();
      normal.col(row).setZero();
      normal(row, row) = scale;
      scatter.row(row).setZero();
      scatter.col(row).setZero();
    }
    const Eigen::MatrixXd inverse = inverted(normal);
    const Eigen::MatrixXd covariance = inverse * scatter * inverse;
    fit.covariance.resize(p_ * p_);
    for (Eigen::Index a = 0; a < p; ++a) {
      for (Eigen::Index b = 0; b < p; ++b)
        fit.covariance[static_cast<std::size_t>(a * p + b)] = covariance(a, b);
    }
    fit.calibration = shifted_by_the_rig(inverse, shapes);
    // Half the numbers without phase: the shapes and the fit's own numbers together would follow
    // anything. There models are compared where they stand.
    const BeyondRig chosen =
        in_.has_phase ? beyond : beyond_the_rig(shapes, residuals_, {}, weights, false, in_.noise);
    double square_left = chosen.unlikely;
    for (std::size_t i = 0; i < n_; ++i)
      square_left += in_.weights[i] * pull_[i] * std::norm(chosen.left[i]);
    fit.rms_beyond_rig = std::sqrt(square_left / weight_sum);
    double against = static_cast<double>(p_) * std::log(numbers);
    for (const Prior& prior : in_.priors) {
      against += std::pow(prior.departure(theta_[prior.parameter]), 2);
      if (prior.known) against -= std::log(numbers);
    }
    fit.criterion = numbers * std::log(square_sum / weight_sum + 1e-16) + against;
    fit.criterion_beyond_rig = numbers * std::log(square_left / weight_sum + 1e-16) + against;
    fit.theta = theta_;
    fit.residuals = residuals_;
    fit.converged = converged;
    return fit;
  }

  /// By the scale of each parameter: the logarithm of a loss that is nearly none moves the curve
  /// next to nothing, and must come out as hardly known, not as held by rounding.
  static Eigen::MatrixXd inverted(const Eigen::MatrixXd& normal) {
    const Eigen::VectorXd scale = (normal.diagonal().array() + 1e-300).rsqrt();
    Eigen::MatrixXd scaled = scale.asDiagonal() * normal * scale.asDiagonal();
    scaled.diagonal().array() += 1e-12;
    const Eigen::MatrixXd unit = Eigen::MatrixXd::Identity(normal.rows(), normal.cols());
    return scale.asDiagonal() * scaled.ldlt().solve(unit) * scale.asDiagonal();
  }

  /// theta moves by -(J'WJ)^-1 J'W e for a relative error e of the impedance.
  [[nodiscard]] std::vector<std::vector<double>> shifted_by_the_rig(const Eigen::MatrixXd& inverse,
                                                                    const RigShapes& shapes) const {
    std::vector<std::vector<double>> rows;
    const auto p = static_cast<Eigen::Index>(p_);
    for (const std::vector<double>& shape : shapes) {
      // An error of phase, in radians, is as large as one of size.
      for (const Complex kind : {Complex(1.0), Complex(0.0, 1.0)}) {
        if (kind.imag() != 0.0 && !in_.has_phase) continue;
        Eigen::VectorXd pulled = Eigen::VectorXd::Zero(p);
        for (std::size_t i = 0; i < n_; ++i) {
          const Complex error = in_.weights[i] * pull_[i] * shape[i] * kind;
          for (std::size_t k = 0; k < p_; ++k)
            pulled(static_cast<Eigen::Index>(k)) +=
                (std::conj(jacobian_[k * n_ + i]) * error).real();
        }
        const Eigen::VectorXd move = inverse * pulled;
        rows.emplace_back(move.data(), move.data() + p);
      }
    }
    return rows;
  }

  /// Each point's contribution to the gradient; their scatter is the scatter of the estimate.
  /// Where residuals hang together over neighbours, so do these: the sum over all pairs, weighed
  /// down linearly with their distance, is that of the squares of moving sums (Newey and West
  /// 1987).
  [[nodiscard]] Eigen::MatrixXd scattered(const std::vector<Complex>& residuals) const {
    const auto p = static_cast<Eigen::Index>(p_);
    std::vector<Eigen::VectorXd> each(n_, Eigen::VectorXd(p));
    for (std::size_t i = 0; i < n_; ++i) {
      const double weight = in_.weights[i] * pull_[i];
      for (std::size_t k = 0; k < p_; ++k)
        each[i](static_cast<Eigen::Index>(k)) =
            weight * (std::conj(jacobian_[k * n_ + i]) * residuals[i]).real();
    }
    const std::size_t width = 1 + 2 * together(residuals);
    Eigen::MatrixXd scatter = Eigen::MatrixXd::Zero(p, p);
    Eigen::VectorXd sum = Eigen::VectorXd::Zero(p);
    for (std::size_t i = 0; i < n_ + width - 1; ++i) {
      if (i < n_) sum += each[i];
      if (i >= width) sum -= each[i - width];
      scatter.noalias() += sum * sum.transpose();
    }
    return scatter / static_cast<double>(width);
  }

  /// Over how many points residuals hang together: none for noise, the correlation length where
  /// the model leaves a shape behind.
  [[nodiscard]] std::size_t together(const std::vector<Complex>& residuals) const {
    double zero = 0.0;
    for (const Complex& r : residuals) zero += std::norm(r);
    if (!(zero > 0.0)) return 0;
    std::size_t lag = 1;
    for (; lag < n_ / 8; ++lag) {
      double sum = 0.0;
      for (std::size_t i = 0; i + lag < n_; ++i)
        sum += (residuals[i] * std::conj(residuals[i + lag])).real();
      // Below this it is chance.
      if (sum / zero < 2.0 / std::sqrt(static_cast<double>(n_))) break;
    }
    return lag - 1;
  }

  const CurveFitInput& in_;
  const CurveModel& model_;
  std::span<const FitRange> limits_;
  std::size_t n_;
  std::size_t p_;
  std::vector<double> theta_;
  std::vector<Complex> values_;
  std::vector<Complex> jacobian_;
  std::vector<Complex> residuals_;
  std::vector<double> pull_;
  double enough_ = kEnough;       ///< relative gain of a step that ends it
  double floor_ = 0.0;            ///< of the cost
  std::vector<Complex> per_ohm_;  ///< 1 / measured; of the magnitude where there is no phase
};

}  // namespace

CurveFit fit_curve(const CurveFitInput& input, const CurveModel& model, std::vector<double> start,
                   std::span<const FitRange> limits, FitEffort effort) {
  for (std::size_t k = 0; k < start.size(); ++k)
    start[k] = std::clamp(start[k], limits[k].low, limits[k].high);
  return Fitter(input, model, std::move(start), limits).run(effort);
}

double variance_of(const CurveFit& fit, std::span<const double> gradient) {
  const std::size_t p = fit.theta.size();
  double variance = 0.0;
  for (std::size_t a = 0; a < p; ++a) {
    for (std::size_t b = 0; b < p; ++b)
      variance += gradient[a] * gradient[b] * fit.covariance[a * p + b];
  }
  for (const std::vector<double>& row : fit.calibration) {
    double moved = 0.0;
    for (std::size_t k = 0; k < p; ++k) moved += gradient[k] * row[k];
    variance += moved * moved;
  }
  return std::max(0.0, variance);
}

double half_width_95(const CurveFit& fit, std::span<const double> gradient) {
  return kTwoSided95 * std::sqrt(variance_of(fit, gradient));
}

}  // namespace lalometer
