#pragma once

#include <complex>
#include <string>

#include "acoustics/enclosure/driver_circuit.h"
#include "acoustics/network/ladder.h"

namespace lalometer {

/// A two-way vented loudspeaker, flush in a large wall (half space), all from one set of
/// parameters.
struct PracticeSpeaker {
  DriverParameters woofer;
  BoxLoad box;
  Ladder woofer_ladder;
  DriverParameters tweeter;
  Ladder tweeter_ladder;
  bool tweeter_inverted = false;
  double woofer_y_m = 0.0;  ///< above the origin of the baffle
  double tweeter_y_m = 0.0;
  double port_y_m = 0.0;
  double port_area_m2 = 0.0;
};

/// Where the microphone stands and what is near.
struct PracticeRoom {
  double distance_m = 1.0;        ///< from the baffle's origin, on its axis
  double origin_height_m = 1.2;   ///< of the baffle's origin and of the microphone above the floor
  double floor_reflection = 0.8;  ///< amplitude factor, 0 = none
  double temperature_c = 20.0;
};

struct PracticeOutput {
  std::complex<double> impedance_ohm;    ///< at the amplifier's terminals
  std::complex<double> direct_pa_per_v;  ///< at the microphone, flight time included, no reflection
  std::complex<double> reflected_pa_per_v;  ///< what the floor adds, flight time included
};

/// @param frequency_hz  > 0.
[[nodiscard]] PracticeOutput solve_speaker(const PracticeSpeaker& speaker, const PracticeRoom& room,
                                           double frequency_hz);

/// The museum kiosk two-way: 165 mm woofer in 14 l vented at about 45 Hz, 28 mm dome, second-order
/// crossover near 2.2 kHz. `lined` adds absorption to the box (QA from 60 down to 12).
[[nodiscard]] PracticeSpeaker kiosk_two_way(bool lined);

}  // namespace lalometer
