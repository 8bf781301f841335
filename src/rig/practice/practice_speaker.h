#pragma once

#include <array>
#include <complex>
#include <optional>
#include <string>

#include "acoustics/baffle/baffle.h"
#include "acoustics/enclosure/driver_circuit.h"
#include "acoustics/network/ladder.h"
#include "acoustics/spectrum/frequency_axis.h"

namespace lalometer {

/// A two-way vented loudspeaker, all from one set of parameters: flush in a large wall (half
/// space), or in a box of its own whose edges diffract.
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
  bool port_behind = false;  ///< in the back panel
  /// The box; nothing: a large wall.
  std::optional<Baffle> baffle = std::nullopt;
  double origin_x_m = 0.0;  ///< the baffle's origin in its own coordinates (left, lower edge)
  double origin_y_m = 0.0;
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

/// Impedance at the amplifier's terminals. @param frequency_hz  > 0.
[[nodiscard]] std::complex<double> practice_impedance_ohm(const PracticeSpeaker& speaker,
                                                          double frequency_hz);

/// A speaker in a room with its edges worked out once (some tens of milliseconds); then any
/// frequency is quick. A source that does not lie on the box's flat front plays as in a large wall.
class PracticeField {
 public:
  PracticeField(const PracticeSpeaker& speaker, const PracticeRoom& room);
  /// @param frequency_hz  > 0.
  [[nodiscard]] PracticeOutput at(double frequency_hz) const;

 private:
  /// One source seen from the microphone or from its mirror image at the floor.
  struct Path {
    double distance_m;
    std::vector<std::complex<double>> edges;  ///< over the axis; empty: a large wall
  };
  /// Of woofer, port, tweeter, from the microphone or its image.
  [[nodiscard]] std::array<Path, 3> paths(bool image) const;
  [[nodiscard]] Path path_of(double y_m, double area_m2, bool behind, bool image) const;
  [[nodiscard]] std::complex<double> pressure(const Path& path,
                                              std::complex<double> volume_velocity,
                                              double frequency_hz) const;

  PracticeSpeaker speaker_;
  PracticeRoom room_;
  double c_;
  FrequencyAxis axis_;
  std::array<Path, 3> direct_;  ///< woofer, port, tweeter
  std::array<Path, 3> image_;
};

/// The museum kiosk two-way: 165 mm woofer in 14 l vented at about 45 Hz, 28 mm dome, second-order
/// crossover near 2.2 kHz. `lined` adds absorption to the box (QA from 60 down to 12).
[[nodiscard]] PracticeSpeaker kiosk_two_way(bool lined);

}  // namespace lalometer
