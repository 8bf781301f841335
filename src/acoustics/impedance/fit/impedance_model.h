#pragma once

#include <complex>
#include <span>
#include <vector>

#include "acoustics/impedance/fit/curve_fit.h"
#include "acoustics/spectrum/response.h"

namespace lalometer {

/// The lossy inductance of a voice coil in iron, by several published models. exp(+j omega t).
enum class CoilModel {
  kPlain,     ///< j w L
  kShunted,   ///< j w L in series with (R2 parallel j w L2): eddy currents as one shorted turn
  kPowerLaw,  ///< K (j w)^n; W. M. Leach, JAES 50 (2002)
  kTwoPower,  ///< Kr w^Xr + j Kx w^Xx; J. R. Wright, JAES 38 (1990)
};
struct VoiceCoil {
  CoilModel model = CoilModel::kPlain;
  /// kPlain: L (H). kShunted: L, L2 (H), R2 (ohm). kPowerLaw: magnitude at 1 kHz (ohm), n.
  /// kTwoPower: resistance and reactance at 1 kHz (ohm), Xr, Xx.
  std::vector<double> parameters = {1e-9};
  [[nodiscard]] std::complex<double> impedance_ohm(double frequency_hz) const;
  /// Inductance that has the coil's reactance at a frequency, H.
  [[nodiscard]] double inductance_h(double frequency_hz) const;
  [[nodiscard]] const char* name() const;
};

/// What the cone's back works into, seen through the motor.
enum class BackLoad { kNone, kVented, kRadiator };

/// Which elements the model has.
struct MotorShape {
  CoilModel coil = CoilModel::kPlain;
  BackLoad back = BackLoad::kNone;
  bool absorbing = false;        ///< damping material: loss in series with the air of a vented box
  bool port_loss = false;        ///< of the port itself, as flow through damping material
  bool port_loss_rises = false;  ///< with the frequency, as a rough pipe's
  bool creep = false;            ///< compliance falls with the logarithm of the frequency
  bool second = false;           ///< a second resonance in series (a tweeter's rear chamber)
  bool crossover = false;        ///< what a low-pass and a tweeter's branch are in the bass
  bool fixed_re = false;         ///< Re keeps its start
};

/// The electrical impedance of a driver as one equivalent circuit:
///   Z = Re + Zcoil + Res / D + Res2 / (1 + j Q2 (u2 - 1/u2)), u = f / fs
///   D = 1 + j Qms u + Qms / (j u) (S + alpha B)
///   S = 1 / (1 - creep log10(j u))                    (Knudsen and Jensen, JAES 41, 1993)
///   B = 1 / (1 / (1 + j v / QA) + 1 / (j v QL) - 1 / (v^2 - r^2 - j r v / Qp - j v / QP)), v = f /
///   f0, r = fp / f0, QP: of the port's own loss (v^2 / QP where it rises)
/// f0: tuning of the port, or of the radiator's mass against the box alone; fp: the radiator's own
/// resonance (0 for a port, so that f0 is fB). Derivation: Small 1972, 1973, 1974.
///
/// With a crossover this Z has C with R in series across it, L before it, and a second C across the
/// terminals.
///
/// Theta holds logarithms, except exponents and creep, in the order of `Slot` for what is there.
class ImpedanceModel {
 public:
  enum Slot {
    kRe,
    kFs,
    kQms,
    kRes,
    kCoil,
    kAlpha,
    kTuning,
    kLeak,
    kOwn,
    kOwnQ,
    kAbsorption,
    kPortLoss,
    kCreep,
    kSecond,
    kCrossover
  };
  explicit ImpedanceModel(MotorShape shape);

  [[nodiscard]] const MotorShape& shape() const { return shape_; }
  [[nodiscard]] std::size_t size() const { return size_; }
  /// Place of an element's first number in theta. Precondition: the shape has it.
  [[nodiscard]] std::size_t at(Slot slot) const { return places_[slot]; }

  /// One point; `gradient` is empty or of size().
  [[nodiscard]] std::complex<double> evaluate(std::span<const double> theta, double frequency_hz,
                                              std::span<std::complex<double>> gradient) const;
  [[nodiscard]] CurveModel over(std::span<const double> frequency_hz) const;
  [[nodiscard]] VoiceCoil coil(std::span<const double> theta) const;
  /// The same without the crossover.
  [[nodiscard]] std::complex<double> uncrossed(std::span<const double> theta,
                                               double frequency_hz) const;
  /// What the port or the radiator moves of the cone's air: -1 well below the tuning, most about
  /// it. Precondition: it has one.
  [[nodiscard]] std::complex<double> passed(std::span<const double> theta,
                                            double frequency_hz) const;
  /// Physically meaningful limits of theta.
  [[nodiscard]] std::vector<FitRange> limits() const;

 private:
  struct Numbers;
  [[nodiscard]] Numbers numbers(std::span<const double> theta) const;
  [[nodiscard]] std::complex<double> point(const Numbers& numbers, double frequency_hz,
                                           double log_frequency,
                                           std::span<std::complex<double>> gradient) const;
  /// An impedance peak of its own in series with the motor's.
  [[nodiscard]] std::complex<double> second_peak(const Numbers& numbers, double frequency_hz,
                                                 std::span<std::complex<double>> gradient) const;
  /// What of an impedance is seen before the crossover; the gradient becomes that too.
  [[nodiscard]] std::complex<double> behind_crossover(
      const Numbers& numbers, double omega, std::complex<double> z,
      std::span<std::complex<double>> gradient) const;

  MotorShape shape_;
  std::size_t places_[kCrossover + 1] = {};
  std::size_t size_ = 0;
};

/// A model with its numbers.
struct FittedImpedance {
  ImpedanceModel model;
  std::vector<double> theta;
  [[nodiscard]] std::complex<double> at(double frequency_hz) const {
    return model.evaluate(theta, frequency_hz, {});
  }
  [[nodiscard]] Response over(const FrequencyAxis& axis) const;
};

/// How many numbers a coil model has.
[[nodiscard]] std::size_t coil_size(CoilModel model);

}  // namespace lalometer
