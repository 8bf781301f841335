#pragma once

#include <optional>
#include <string>
#include <vector>

#include "acoustics/impedance/estimate.h"
#include "acoustics/impedance/fit/fit_points.h"
#include "acoustics/impedance/fit/impedance_model.h"
#include "acoustics/spectrum/response.h"
#include "base/result.h"

namespace lalometer {

struct DriverFitWishes {
  std::optional<double> re_ohm = std::nullopt;  ///< from an ohmmeter; then it is not fitted
  /// A closed box behind the driver is a stiffer suspension: the same model, other words in
  /// refusals.
  bool in_closed_box = false;
  /// Only these coil models are tried; empty: all of them, and the data choose.
  std::vector<CoilModel> coils = {};
  /// Half-width of the smooth error that the rig may have, per cent; 0: not counted.
  double calibration_percent = kUsualCalibration_percent;
};

/// A driver's impedance (free air or closed box) as a fitted equivalent circuit.
struct DriverFit {
  Estimate re_ohm;
  Estimate fs_hz;  ///< fc in a box
  Estimate qms;    ///< at fs, creep included
  Estimate qes;
  Estimate qts;
  Estimate peak_ohm;   ///< Re + Res: what the impedance peak rises to without the coil
  Estimate le_1khz_h;  ///< inductance that has the coil's reactance at 1 kHz
  VoiceCoil coil;
  std::optional<Estimate> creep = std::nullopt;
  struct Second {
    Estimate frequency_hz;
    double q;
    double height_ohm;
  };
  std::optional<Second> second = std::nullopt;  ///< a second resonance, where the data show one
  double misfit_percent = 0.0;                  ///< rms departure of the curve from the model
  double fitted_to_hz = 0.0;
  FittedImpedance motor;
  /// Of ln(fs), ln(Qms), ln(Res), ln(Re) and the creep (0 where there is none), row by row: what
  /// added mass and test boxes need.
  std::vector<double> covariance;
  /// Of the same five, a row for each shape of the rig's smooth error: two curves of one rig share
  /// it.
  std::vector<std::vector<double>> calibration = {};
  std::vector<std::string> notes;

  /// Stiffness of the suspension at a frequency over that at fs (1 without creep).
  [[nodiscard]] double stiffness_ratio(double frequency_hz) const;
  /// Stiffness, Bl and masses cancel in an impedance; what is left of Res over Re.
  [[nodiscard]] double res_ohm() const { return peak_ohm.value - re_ohm.value; }
};

/// Least squares over the whole complex curve up to about fifty times fs (20 kHz at most), every
/// octave weighted alike, the coil model chosen by the Bayesian information criterion; creep and a
/// second resonance only where the data plainly ask for them. Without phase the magnitude alone is
/// fitted.
///
/// Refused, with the reason: fewer than 24 points; negative real parts (a passive load has none:
/// jig not calibrated, channels exchanged); a curve below 1.5 ohm all over (ratios); no impedance
/// peak in range; an impedance peak cut off by the end of the curve; two impedance peaks with a
/// port's valley between, given as free air; a curve that the model does not follow within 8 %.
/// Source: R. H. Small, JAES 20 (1972); Leach 2002; Wright 1990; Knudsen and Jensen 1993.
[[nodiscard]] Result<DriverFit> fit_driver(const Response& impedance,
                                           const DriverFitWishes& wishes = {});

/// Where a fit of a crossover's elements starts, as logarithms: usual ones of a two-way.
extern const std::vector<double> kFirstCrossover;

}  // namespace lalometer
