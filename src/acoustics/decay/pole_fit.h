#pragma once

#include <Eigen/Dense>
#include <complex>
#include <optional>
#include <vector>

#include "base/constants.h"

/// Decaying turns that a stretch of a response is the sum of. What decay_ridges() is made of.
namespace lalometer {

/// A decaying turn: exp(rate t), rate = -1 / tau + j 2 pi f.
struct Pole {
  std::complex<double> rate;
  std::complex<double> amplitude;  ///< at the arrival, through the bell
  [[nodiscard]] double frequency_hz() const { return rate.imag() / (2.0 * kPi); }
  [[nodiscard]] double tau_s() const { return -1.0 / rate.real(); }
};

/// What the response goes through: wide bells blur less in time, where there are few periods.
struct Bell {
  double width = 0.2;   ///< standard deviation, of the frequency
  double step = 0.6;    ///< of time, periods
  double start = 3.0;   ///< periods: it is 60 dB down there
  double later = 0.75;  ///< between the three starts
  double margin = 3.0;  ///< from the end of the data, where they stop at once
};
/// One place's bell and what comes through it, in even steps of time after a start.
struct SubBand {
  Bell bell = {};
  double centre_hz = 0.0;
  double step_s = 0.0;
  double start_s = 0.0;
  Eigen::VectorXcd values;
};

/// The bell's own gain.
[[nodiscard]] double bell_at(double f, const Bell& bell, double centre_hz);
/// The bell at a pole: a decaying turn comes out of it with this factor.
[[nodiscard]] std::complex<double> bell_at(const std::complex<double>& rate, const Bell& bell,
                                           double centre_hz);

/// One ridge of one place, with what its fit leaves.
struct FoundPole {
  Pole pole;
  double frequency_spread = 0.0;  ///< relative standard deviations
  double tau_spread = 0.0;
  double off_centre = 0.0;  ///< octaves
  double over_rest = 0.0;   ///< energy over what the fit leaves
};
struct PoleFit {
  std::vector<FoundPole> found;
  double left = 0.0;  ///< energy
  [[nodiscard]] std::vector<Pole> poles() const {
    std::vector<Pole> all;
    for (const FoundPole& f : found) all.push_back(f.pole);
    return all;
  }
};

/// Least squares over all poles and amplitudes of a place at once.
/// @return nothing where it comes to no rest.
[[nodiscard]] std::optional<PoleFit> refined_poles(const SubBand& s, std::vector<Pole> poles,
                                                   int rounds);

/// As many poles as the values ask for: one more must take away more than noise would give it
/// (G. Schwarz, Ann. Statist. 6 (1978) 461). They come from a matrix pencil (Y. Hua, T. K. Sarkar,
/// IEEE Trans. ASSP 38 (1990) 814). Precondition: at least nine values.
[[nodiscard]] std::optional<PoleFit> fitted_poles(const SubBand& s);

}  // namespace lalometer
