#pragma once

#include <cmath>
#include <complex>
#include <functional>
#include <span>
#include <vector>

namespace lalometer {

/// A model's values at all points, and where `jacobian` is wanted its derivatives, parameter by
/// parameter (size = parameters * points).
using CurveModel =
    std::function<void(std::span<const double> theta, std::span<std::complex<double>> values,
                       std::span<std::complex<double>> jacobian)>;

struct FitRange {
  double low;
  double high;
};

/// A parameter that is known to be normal about a mean before the data are seen; or what it is the
/// logarithm of is, upside down: a loss as 1/Q, which may well be nothing.
struct Prior {
  std::size_t parameter;
  double mean;
  double deviation;
  bool of_inverse = false;
  /// Known so well beforehand that it is no free number when models are compared.
  bool known = false;

  /// Departure from the mean in deviations, and its slope over theta.
  [[nodiscard]] double departure(double theta) const {
    return ((of_inverse ? std::exp(-theta) : theta) - mean) / deviation;
  }
  [[nodiscard]] double slope(double theta) const {
    return (of_inverse ? -std::exp(-theta) : 1.0) / deviation;
  }
};

/// What is to be fitted: relative departures (model - measured) / measured, or of the logarithm
/// of the magnitude alone where there is no phase, each point with its weight.
struct CurveFitInput {
  std::span<const std::complex<double>> measured;  ///< none of them 0
  std::span<const double> weights;                 ///< >= 0, one per point
  bool has_phase = true;
  /// What is known beforehand of some parameters.
  std::span<const Prior> priors = {};
  /// Standard deviation of one real part's noise, relative: what a prior is weighed against.
  double noise = 0.0;
  /// A smooth error of the rig, which no scatter shows: standard deviation relative to the
  /// impedance, and the logarithm of each point's frequency. 0: none is counted.
  double calibration = 0.0;
  std::span<const double> log_frequency = {};
};

struct CurveFit {
  std::vector<double> theta;
  /// Of theta, row by row: what the residuals scatter about the curve says, each point by its own
  /// residual (a curve noisier at one end needs no noise model), neighbours together as far as
  /// their residuals hang together, where the model leaves something out.
  std::vector<double> covariance;
  /// What a smooth error of the rig moves theta by, one row (size of theta) for each independent
  /// shape it may have at one standard deviation: constant, and waves of 3 to 14 octaves.
  std::vector<std::vector<double>> calibration = {};
  std::vector<std::complex<double>> residuals;  ///< relative; real where there is no phase
  double rms = 0.0;  ///< of the residuals, weighted; one number per point
  /// Standard deviation of one real part as three quarters of the points have it: a loop, which
  /// few points make, hardly moves it, a model that does not follow does.
  double typical = 0.0;
  /// Bayesian information criterion of this fit, smaller is better (Schwarz 1978); what its priors
  /// say against it counts as squared deviations.
  double criterion = 0.0;
  /// The two of what the rig's smooth error does not explain as well: by these a further effect is
  /// believed or not. Those above, where no such error is told.
  double rms_beyond_rig = 0.0;
  double criterion_beyond_rig = 0.0;
  bool converged = false;
};

/// kExplore: fewer steps, enough to choose between models; the chosen one is fitted on from there.
enum class FitEffort { kExplore, kFull };

/// Levenberg-Marquardt with limits to each parameter, then reweighted so that points more than 3
/// standard deviations away (Huber 1964) do not pull: a small loop of the curve belongs to a box
/// mode, not to the driver. Source of the method: K. Levenberg 1944, D. W. Marquardt 1963;
/// covariance: H. White 1980; W. K. Newey and K. D. West 1987.
/// @param start  within the limits; @param limits one per parameter.
[[nodiscard]] CurveFit fit_curve(const CurveFitInput& input, const CurveModel& model,
                                 std::vector<double> start, std::span<const FitRange> limits,
                                 FitEffort effort = FitEffort::kFull);

/// Variance of a function of theta by its gradient: what scatters, and what the rig may shift.
[[nodiscard]] double variance_of(const CurveFit& fit, std::span<const double> gradient);

/// Half-width of the 95 % interval of a function of theta, by its gradient.
[[nodiscard]] double half_width_95(const CurveFit& fit, std::span<const double> gradient);

}  // namespace lalometer
