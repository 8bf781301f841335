#pragma once

#include <complex>
#include <vector>

#include "acoustics/enclosure/box_load.h"

namespace lalometer {

/// A resonance of the diaphragm: a part of its moving mass that depends on the rest by a spring
/// with loss. Bending of the cone (a radiating share that moves more than the coil, then leaves it)
/// and the surround's own movement are both of this kind; at the resonance it moves Q times as far
/// as the coil, above it in opposite phase, and loads the motor, so that impedance, near field and
/// response all tell of it. Source: the dynamic absorber of any text on vibration, e.g. J. P. Den
/// Hartog, Mechanical Vibrations.
struct ConeMode {
  double frequency_hz;  ///< > 0
  double q;             ///< > 0
  double mass_share;    ///< of Mms, 0 .. 1
  double area_share;    ///< of Sd that moves with it, 0 .. 1
};

/// An electrodynamic driver as lumped elements, SI units. All > 0 except the lossy inductance's
/// second branch, where 0 means absent.
struct DriverParameters {
  double re_ohm;                     ///< direct-current resistance
  double le_h;                       ///< voice-coil inductance
  double le2_h = 0.0;                ///< second inductance of the lossy coil, in parallel with re2
  double re2_ohm = 0.0;              ///< eddy-current resistance
  double bl_tm;                      ///< force factor
  double mms_kg;                     ///< moving mass with air load
  double cms_m_per_n;                ///< compliance of the suspension
  double rms_kg_per_s;               ///< mechanical resistance
  double sd_m2;                      ///< effective radiating area
  std::vector<ConeMode> modes = {};  ///< resonances of the diaphragm; none: a rigid piston

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
  std::complex<double> cone_velocity_m_s_per_v;  ///< of the voice coil
  /// Of the whole diaphragm in front: Sd times the coil's velocity, and what its resonances add.
  std::complex<double> cone_volume_velocity_m3_s_per_v;
  /// Volume velocity out of the box's port(s), positive outward with the cone's positive outward; 0
  /// where there is none.
  std::complex<double> port_volume_velocity_m3_s_per_v;
  std::complex<double> leak_volume_velocity_m3_s_per_v;
  std::complex<double> panel_volume_velocity_m3_s_per_v = 0.0;
};

/// Equivalent circuit of a driver in its load, solved once for everything: Zm = Rms + j w Mms +
/// 1/(j w Cms) + Sd^2 Za (less the modes' masses, plus their impedances), Z = Re + Zle + Bl^2 / Zm,
/// v = Bl / (Z Zm). @param frequency_hz > 0.
/// @param series_ohm resistance before the terminals: volts count before it, the impedance behind
/// it. @param front_load_pa_s_m3 what the front works into beyond the air that Mms counts (a horn's
/// throat). Source: L. L. Beranek, Acoustics, chapters on electro-mechano-acoustical circuits;
/// Small 1972.
[[nodiscard]] DriverSolution solve_driver(const DriverParameters& driver, const BoxLoad& box,
                                          double frequency_hz, double series_ohm = 0.0,
                                          std::complex<double> front_load_pa_s_m3 = 0.0);

/// Far-field pressure of a volume velocity in half space (2 pi) at distance r without its flight
/// time: p = j w rho U / (2 pi r), Pa per (m^3/s). Source: Beranek, Acoustics, simple source on a
/// plane.
[[nodiscard]] std::complex<double> half_space_pressure_pa(std::complex<double> volume_velocity_m3_s,
                                                          double frequency_hz, double distance_m);

/// Reference efficiency in half space, eta0 = 4 pi^2 fs^3 Vas / (c^3 Qes). Source: Small 1972.
[[nodiscard]] double reference_efficiency(const DriverParameters& driver);

}  // namespace lalometer
