#pragma once

#include <optional>
#include <vector>

#include "acoustics/enclosure/driver_circuit.h"

namespace lalometer {

/// How a motor departs from its small-signal elements. Travel x is positive outward.
///   Bl(x)  = Bl exp(-0.198 ((x - centre) / bl_travel)^2)        82 % at the excursion
///   Kms(x) = (1 + 0.33 ((x - rest) / kms_travel)^2) / Cms       75 % of the compliance at the
///   excursion Le(x)  = Le (1 - le_share tanh(x / bl_travel))              the coil deeper on the
///   iron has more
/// The thresholds are those of IEC 62458 for 10 % distortion (from memory); the shapes are smooth
/// curves of ours through them.
struct MotorCurves {
  double bl_travel_m;         ///< > 0
  double kms_travel_m;        ///< > 0
  double bl_centre_m = 0.0;   ///< where the force factor is greatest
  double kms_rest_m = 0.0;    ///< where the suspension is softest
  double le_share = 0.0;      ///< 0 .. 0.5
  double coil_k_per_w = 0.0;  ///< thermal resistance of the coil; 0: it never warms
  double coil_j_per_k = 8.0;  ///< its heat capacity
  double warm_k = 0.0;        ///< how much warmer than 20 degC the coil is at the start
  /// A coil that touches the gap's wall: each time the cone passes so far outward, a tick; 0:
  /// never.
  double rub_at_m = 0.0;
  double rub_pa = 0.05;           ///< peak of a tick at 1 m
  double port_loss_factor = 0.0;  ///< exit loss of the port's mouth, K in K rho u^2 / 2; 0: none

  [[nodiscard]] double bl_tm(const DriverParameters& d, double x_m) const;
  [[nodiscard]] double stiffness_n_per_m(const DriverParameters& d, double x_m) const;
  [[nodiscard]] double inductance_h(const DriverParameters& d, double x_m) const;
};

/// Copper's resistance per kelvin.
inline constexpr double kCopperPerKelvin = 0.00393;

/// What a driver does with a voltage, sample by sample.
struct MotorRun {
  std::vector<double> velocity_m_s;  ///< of the voice coil
  std::vector<double> excursion_m;
  std::vector<double> port_m3_s;  ///< volume velocity out of port or radiator; empty: none
  double warmer_k = 0.0;          ///< coil above 20 degC at the end
};

/// The driver in its lumped box (no standing waves, no pipe resonance) as a state-space model in
/// time: current, lossy inductance, excursion, speed, air in the box, air in the port or passive
/// radiator. Fourth-order Runge-Kutta, oversampled so that a step is at most 1/1.2 of the shortest
/// electrical time constant; the fundamental comes out within 0.2 % up to a tenth of the rate.
///   u = Re(T) i + d(Le(x) i)/dt + R2 (i - i2) + Bl(x) v,   R2 (i - i2) = L2 di2/dt
///   Mms dv/dt = Bl(x) i + i^2/2 dLe/dx - Rms v - Kms(x) x + Sd p
///   dq/dt = -Sd v - Up - p / Ral,   p = q/Ca + Ra dq/dt,   Map dUp/dt = p - Rap Up - K rho u|u|/2
/// Resonances of the diaphragm are left out: they belong to small excursion. Source: the
/// large-signal equivalent circuit of any text on transducers; exit loss of a duct K = 1: I. E.
/// Idelchik, Handbook of Hydraulic Resistance.
/// @param volts  at the driver's terminals, at the sample rate.
/// @param curves  nothing: the same integrator with constant elements.
[[nodiscard]] MotorRun run_motor(const DriverParameters& driver, const BoxLoad& box,
                                 const std::optional<MotorCurves>& curves,
                                 const std::vector<double>& volts, double sample_rate_hz);

}  // namespace lalometer
