#pragma once

#include <complex>
#include <span>
#include <vector>

namespace lalometer {

/// What a rig's smooth error may look like over the frequency, relative to the impedance: each
/// independent shape at one standard deviation, a value for each point. Constant, and waves of 3 to
/// 14 octaves. None where no error is told.
using RigShapes = std::vector<std::vector<double>>;

/// @param calibration  standard deviation; @param log_frequency  of each point.
[[nodiscard]] RigShapes rig_shapes(double calibration, std::span<const double> log_frequency);

struct BeyondRig {
  std::vector<std::complex<double>> left;  ///< of the residuals
  double unlikely = 0.0;  ///< what an error that large has against it, as squared residuals
};

/// Residuals of a fit without what the rig's smooth error is likely to have put there: that counts
/// by itself, and would count twice as scatter. Its most likely shape in magnitude and in phase,
/// by least squares with the shapes' own sizes known beforehand (generalised least squares: Aitken
/// 1935); the fit has already followed part of it, so its parameters may move back.
/// @param residuals  relative to the complex impedance; real where there is no phase.
/// @param jacobian   of them, parameter by parameter; @param weights  one per point.
/// @param noise      of one real part, relative.
[[nodiscard]] BeyondRig beyond_the_rig(const RigShapes& shapes,
                                       std::span<const std::complex<double>> residuals,
                                       std::span<const std::complex<double>> jacobian,
                                       std::span<const double> weights, bool has_phase,
                                       double noise);

}  // namespace lalometer
