#pragma once

#include <complex>
#include <vector>

#include "acoustics/impedance/fit/curve_fit.h"
#include "acoustics/impedance/fit/impedance_model.h"
#include "acoustics/spectrum/response.h"
#include "base/result.h"

namespace lalometer {

/// What every fit of an impedance begins with: the points that count, their weights, what noise
/// they carry. Refuses curves that cannot be an impedance.
struct FitPoints {
  std::vector<double> frequency_hz;
  std::vector<std::complex<double>> z;
  std::vector<double> weights;
  double noise = 0.0;  ///< relative, of one real part, from neighbouring points
  std::vector<double> log_frequency;

  /// What a fit is given. @param calibration  half-width of the rig's smooth error, per cent.
  [[nodiscard]] CurveFitInput input(bool has_phase, double calibration_percent) const;
};

/// A rig's smooth error where nobody told it, per cent (usual care, common practice).
inline constexpr double kUsualCalibration_percent = 1.0;

/// Points denser than 48 to the octave are averaged outside `kept`, where the curve bends little:
/// they cost time and tell no more than their mean. Inside, all stay, or where the noise is below
/// 0.05 % one in each 48th of an octave.
[[nodiscard]] Result<FitPoints> fit_points(const Response& impedance, double low_hz, double high_hz,
                                           ValidRange kept = {});

/// Humps of a noisy curve: those that rise above the noise by much. Tallest over its surroundings
/// first.
struct Hump {
  double frequency_hz;
  double magnitude_ohm;
  double prominence;
};
[[nodiscard]] std::vector<Hump> humps(const FitPoints& points, double least_prominence);

/// What fits share in choosing between models. A model whose curve departs by more than this is
/// none of the measured one.
constexpr double kWorstMisfit = 0.08;
/// A more complicated model has to be this much better by the criterion: differences above 10 are
/// called very strong evidence (Kass and Raftery 1995).
constexpr double kPlainlyBetter = 10.0;
/// More than another model of the coil can explain in a box (found on simulated boxes).
constexpr double kFarOff = 0.01;

/// A model and how it was fitted.
struct Fitted {
  ImpedanceModel model;
  CurveFit fit;
};

}  // namespace lalometer
