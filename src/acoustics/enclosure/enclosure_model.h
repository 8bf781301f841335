#pragma once

#include <optional>
#include <vector>

#include "acoustics/enclosure/driver_circuit.h"
#include "acoustics/enclosure/port.h"
#include "acoustics/open_baffle/dipole.h"
#include "acoustics/spectrum/frequency_axis.h"

namespace lalometer {

/// A driver in its box, and what drives it.
struct EnclosureDesign {
  DriverParameters driver;
  BoxLoad load;               ///< tuning_hz is that of `ports` where there are any
  double port_area_m2 = 0.0;  ///< of a vented box, for the air's speed
  double series_ohm = 0.0;
  double drive_v = 2.83;  ///< rms
  /// Of an open back: the panel round whose edges front and back meet.
  std::optional<OpenBaffle> panel = std::nullopt;
};

/// Everything from one solution of the circuit, per frequency.
struct EnclosureCurves {
  FrequencyAxis axis;
  /// At 1 m in half space, Pa rms: cone, port (or radiator) and leak together, as Small counts them
  /// (the air of the box is what sounds). Of an open baffle: on its axis at 2 m, front and rear
  /// round its edges (ThinPanel), brought to 1 m.
  std::vector<std::complex<double>> pressure_pa;
  std::vector<std::complex<double>> impedance_ohm;
  std::vector<double> excursion_m;           ///< of the cone, peak
  std::vector<double> port_speed_m_s;        ///< of the air in the port, peak; 0 without a port
  std::vector<double> radiator_excursion_m;  ///< of the passive radiator, peak; 0 without one
  std::vector<double> group_delay_s;  ///< -d phase / d omega of the pressure, flight time out
};
[[nodiscard]] EnclosureCurves solve_enclosure(const EnclosureDesign& design,
                                              const FrequencyAxis& axis);

/// Level the pass band has by the driver's reference efficiency, dB re 20 uPa at 1 m in half space:
/// rho Bl Sd E / (2 pi (Re + Rs) Mms). Source: Small 1972.
[[nodiscard]] double reference_level_db(const EnclosureDesign& design);

/// Where the response falls for good below the pass band, going down: `below_db` under the
/// reference level. Nothing where it does not within the axis.
[[nodiscard]] std::optional<double> lower_limit_hz(const EnclosureCurves& curves,
                                                   double reference_db, double below_db);

/// Air in a port gets noisy above this peak speed (common practice, no source).
inline constexpr double kUsualPortSpeed_m_s = 17.0;

/// Highest level at each frequency before the cone or the radiator passes its travel, the port's
/// air its speed, or the driver its power.
struct EnclosureLimits {
  double xmax_m;                                ///< peak excursion one way
  double power_w;                               ///< into Re
  double port_speed_m_s = kUsualPortSpeed_m_s;  ///< peak; 0: does not limit
  double radiator_xmax_m = 0.0;                 ///< peak, one way; 0: not known, does not limit
};
enum class LevelLimit { kExcursion, kPower, kPortSpeed, kRadiator };
struct HighestLevel {
  std::vector<double> level_db;
  std::vector<LevelLimit> by;  ///< which of them comes first
};
[[nodiscard]] HighestLevel highest_level(const EnclosureDesign& design,
                                         const EnclosureCurves& curves,
                                         const EnclosureLimits& limits);

/// Vented box with ports: the load with its tuning, pipe and losses set.
[[nodiscard]] BoxLoad vented_load(double volume_m3, const std::vector<PortGeometry>& ports,
                                  double ql, double qa, double qp);

/// Load of a driver in an open panel: straight open, or, where both wings go back by about the
/// same depth, the duct they make with the panel, open behind with the radius of a circle of its
/// opening.
[[nodiscard]] BoxLoad open_back_load(const OpenBaffle& panel, double duct_q = 20.0);

/// Reference frequency of the losses of a passive-radiator box: tuning by the radiator's mass
/// against the box and its own compliance together, Hz. Source: Small 1974.
[[nodiscard]] double radiator_tuning_hz(double volume_m3, const PassiveRadiator& radiator);

}  // namespace lalometer
