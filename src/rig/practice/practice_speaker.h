#pragma once

#include <complex>
#include <optional>
#include <string>
#include <vector>

#include "acoustics/baffle/panel.h"
#include "acoustics/directivity/waveguide.h"
#include "acoustics/enclosure/driver_circuit.h"
#include "acoustics/network/ladder.h"
#include "acoustics/open_baffle/dipole.h"
#include "acoustics/spectrum/frequency_axis.h"
#include "rig/practice/motor.h"

namespace lalometer {

/// One driver with its part of the crossover and what its back works into.
struct PracticeWay {
  std::string id;
  DriverParameters driver;
  BoxLoad box;  ///< free air: closed at its back, its parameters hold the chamber
  Ladder ladder;
  bool inverted = false;
  double delay_s = 0.0;  ///< of an active crossover
  double x_m = 0.0;      ///< from the baffle's origin, right and up
  double y_m = 0.0;
  double z_m = 0.0;         ///< before the front
  double breakup_hz = 0.0;  ///< above it less and less of the cone radiates; 0: never
  std::optional<Waveguide> guide = std::nullopt;
  std::optional<OpenBaffle> panel = std::nullopt;   ///< the open panel that it stands in
  std::optional<MotorCurves> motor = std::nullopt;  ///< nothing: linear at any level
};

/// A loudspeaker, all from one set of parameters: flush in a large wall (half space), or in a box
/// of its own whose edges diffract.
struct PracticeSpeaker {
  std::vector<PracticeWay> ways;
  /// Where what leaves the boxes sounds: the port (or passive radiator), a wall that gives way, a
  /// leak. Area 0: not at all.
  PanelPlace port;
  double port_area_m2 = 0.0;
  PanelPlace yielding;
  double yielding_area_m2 = 0.0;
  PanelPlace leak = {Panel::kBack, 0.0, 0.0};
  double leak_area_m2 = 0.0;
  bool open_back = false;  ///< the drivers' rear waves meet the front's round an open panel
  /// The box; nothing: a large wall.
  std::optional<Baffle> baffle = std::nullopt;
  double origin_x_m = 0.0;  ///< the baffle's origin in its own coordinates (left, lower edge)
  double origin_y_m = 0.0;

  /// First way of that id, or nothing.
  [[nodiscard]] PracticeWay* way(const std::string& id);
  [[nodiscard]] const PracticeWay* way(const std::string& id) const;
};

/// What one way does at one frequency, per volt at the amplifier.
struct WayState {
  std::complex<double> impedance_ohm;  ///< of the way with its ladder, at the amplifier
  std::complex<double> ladder;         ///< voltage at the driver
  std::complex<double> cone_velocity;  ///< m/s of the voice coil
  std::complex<double> front;          ///< volume velocities, m^3/s: cone or mouth
  std::complex<double> port;           ///< port, passive radiator or the open back
  std::complex<double> yielding;
  std::complex<double> leak;
};

/// Solved circuit of one way. @param frequency_hz  > 0.
[[nodiscard]] WayState solve_way(const PracticeWay& way, double frequency_hz);

/// Impedance at the amplifier's terminals, all ways in parallel. @param frequency_hz  > 0.
[[nodiscard]] std::complex<double> practice_impedance_ohm(const PracticeSpeaker& speaker,
                                                          double frequency_hz);

/// The circuits over a dense logarithmic axis, since standing waves are costly to sum anew for each
/// of some ten thousand frequencies; in between by cubics. 0.5 Hz to 100 kHz; held beyond.
class PracticeCircuits {
 public:
  explicit PracticeCircuits(const PracticeSpeaker& speaker);
  /// One state per way.
  void at(double frequency_hz, std::vector<WayState>& states) const;
  [[nodiscard]] std::complex<double> impedance_ohm(double frequency_hz) const;

 private:
  std::vector<double> delays_s_;
  std::vector<bool> inverted_;
  std::vector<std::vector<WayState>> table_;  ///< by way, then frequency
};

/// The museum kiosk two-way: 165 mm woofer in 14 l vented at about 45 Hz, 28 mm dome, second-order
/// crossover near 2.2 kHz, 210 x 380 x 300 mm, lumped box and linear motors. `lined` adds
/// absorption to the box (QA from 60 down to 12).
[[nodiscard]] PracticeSpeaker kiosk_two_way(bool lined);

/// The same as it is in life: standing waves of the box, the port as a pipe, motors with a limited
/// excursion.
[[nodiscard]] PracticeSpeaker kiosk_in_life(bool lined);

}  // namespace lalometer
