#pragma once

#include <complex>

#include "acoustics/enclosure/box_load.h"

namespace lalometer {

/// An electrodynamic driver as lumped elements, SI units. All > 0 except the lossy inductance's
/// second branch, where 0 means absent.
struct DriverParameters {
  double re_ohm;         ///< direct-current resistance
  double le_h;           ///< voice-coil inductance
  double le2_h = 0.0;    ///< second inductance of the lossy coil, in parallel with re2
  double re2_ohm = 0.0;  ///< eddy-current resistance
  double bl_tm;          ///< force factor
  double mms_kg;         ///< moving mass with air load
  double cms_m_per_n;    ///< compliance of the suspension
  double rms_kg_per_s;   ///< mechanical resistance
  double sd_m2;          ///< effective radiating area

  [[nodiscard]] double fs_hz() const;
  [[nodiscard]] double qms() const;
  [[nodiscard]] double qes() const;
  [[nodiscard]] double qts() const;
  /// Volume of air as compliant as the suspension, rho c^2 Sd^2 Cms, m^3.
  [[nodiscard]] double vas_m3() const;
};

/// Thiele/Small parameters as practitioners quote them, to elements: Mms and Cms from fs and Vas,
/// Rms from Qms, Bl from Qes. Source: R. H. Small, "Direct-radiator loudspeaker system analysis",
/// JAES 20 (1972).
struct QuotedParameters {
  double fs_hz, qms, qes, vas_m3, sd_m2, re_ohm, le_h;
};
[[nodiscard]] DriverParameters elements_of(const QuotedParameters& quoted);

/// What one volt at the terminals does at one frequency. exp(+j omega t).
struct DriverSolution {
  std::complex<double> impedance_ohm;
  std::complex<double> cone_velocity_m_s_per_v;
  /// Volume velocity out of the box's port(s), positive outward with the cone's positive outward; 0
  /// where there is none.
  std::complex<double> port_volume_velocity_m3_s_per_v;
  std::complex<double> leak_volume_velocity_m3_s_per_v;
};

/// Equivalent circuit of a driver in its load, solved once for everything: Zm = Rms + j w Mms +
/// 1/(j w Cms) + Sd^2 Za, Z = Re + Zle + Bl^2 / Zm, v = Bl / (Z Zm). @param frequency_hz > 0.
/// @param series_ohm resistance before the terminals: volts count before it, the impedance behind
/// it. Source: L. L. Beranek, Acoustics, chapters on electro-mechano-acoustical circuits; Small
/// 1972.
[[nodiscard]] DriverSolution solve_driver(const DriverParameters& driver, const BoxLoad& box,
                                          double frequency_hz, double series_ohm = 0.0);

/// Far-field pressure of a volume velocity in half space (2 pi) at distance r without its flight
/// time: p = j w rho U / (2 pi r), Pa per (m^3/s). Source: Beranek, Acoustics, simple source on a
/// plane.
[[nodiscard]] std::complex<double> half_space_pressure_pa(std::complex<double> volume_velocity_m3_s,
                                                          double frequency_hz, double distance_m);

/// Reference efficiency in half space, eta0 = 4 pi^2 fs^3 Vas / (c^3 Qes). Source: Small 1972.
[[nodiscard]] double reference_efficiency(const DriverParameters& driver);

}  // namespace lalometer
