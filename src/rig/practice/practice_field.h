#pragma once

#include <array>
#include <memory>
#include <string>
#include <vector>

#include "acoustics/baffle/diffraction.h"
#include "acoustics/spectrum/frequency_axis.h"
#include "rig/practice/practice_speaker.h"

namespace lalometer {

/// Where the microphone stands and what is near. The loudspeaker turns about its baffle's origin;
/// the microphone stays.
struct PracticeRoom {
  double distance_m = 1.0;        ///< from the baffle's origin
  double origin_height_m = 1.2;   ///< of the baffle's origin and of the microphone above the floor
  double floor_reflection = 0.8;  ///< amplitude factor of a mirror source, 0 = none
  double temperature_c = 20.0;
  /// Of the microphone as seen from the loudspeaker; one of the two is 0.
  double horizontal_deg = 0.0;
  double vertical_deg = 0.0;
  /// A closed room: distances from the baffle's origin with the loudspeaker facing the microphone;
  /// 0 where there is no such surface. Their amplitude factor, and where it has fallen 3 dB.
  double ceiling_m = 0.0;    ///< above the origin
  double left_wall_m = 0.0;  ///< to the microphone's left of the axis
  double right_wall_m = 0.0;
  double front_wall_m = 0.0;  ///< behind the loudspeaker
  double rear_wall_m = 0.0;   ///< behind the microphone, from the loudspeaker
  double wall_reflection = 0.7;
  double absorption_hz = 0.0;  ///< 0: alike at all frequencies
  int orders = 1;              ///< reflections that are followed, 1 .. 4
  /// In the near field instead: this far before the middle of a source ("port" or a driver's id).
  std::string near_source = {};
  double near_m = 0.005;
  /// Only this driver plays; empty: all.
  std::string only = {};
};

struct PracticeOutput {
  std::complex<double> impedance_ohm;    ///< at the amplifier's terminals
  std::complex<double> direct_pa_per_v;  ///< at the microphone, flight time included, no reflection
  std::complex<double> reflected_pa_per_v;  ///< what the room adds, flight time included
};

/// A speaker in a room with its edges computed once (some tens of milliseconds); then any
/// frequency is quick. A source that does not lie on the flat of its panel plays as in a large
/// wall.
///
/// Each source is a piston on its panel of the box; mirror images of the microphone stand for the
/// room (J. B. Allen, D. A. Berkley, J. Acoust. Soc. Am. 65 (1979) 943), each seeing the edges from
/// its own direction. In the near field the source is a piston heard on its own axis, rho c v
/// (exp(-j k z) - exp(-j k sqrt(z^2 + a^2))) (Beranek), and the others are points at their
/// distance.
class PracticeField {
 public:
  PracticeField(const PracticeSpeaker& speaker, const PracticeRoom& room);
  /// With circuits that are solved already: for many angles of one loudspeaker.
  PracticeField(const PracticeSpeaker& speaker, const PracticeRoom& room,
                std::shared_ptr<const PracticeCircuits> circuits);
  /// @param frequency_hz  > 0.
  [[nodiscard]] PracticeOutput at(double frequency_hz) const;
  /// Pressure at the microphone by each way, room included, Pa per volt at the amplifier: what its
  /// cone, panel and leak make, and what its port (radiator, open back) makes.
  struct WayPressure {
    std::complex<double> cone;
    std::complex<double> port;
    [[nodiscard]] std::complex<double> all() const { return cone + port; }
  };
  void ways_at(double frequency_hz, std::vector<WayState>& states,
               std::vector<WayPressure>& pressures) const;
  /// From the baffle's origin (or the near source) to the microphone.
  [[nodiscard]] double flight_s() const;

 private:
  enum Role { kFront, kPort, kYielding, kLeak, kRoles };
  /// One source as heard along one way.
  struct Path {
    double distance_m = 1.0;
    double gain = 1.0;  ///< of the walls it met, or of half space to full
    int walls = 0;
    std::vector<std::complex<double>> edges;  ///< over the axis; empty: a large wall
  };
  struct Source {
    std::size_t way;
    Role role;
    std::vector<Path> paths;     ///< the first is direct
    double near_radius_m = 0.0;  ///< above 0: heard from its own near field
  };
  struct Listener {
    BafflePoint at;  ///< in the baffle's coordinates
    double gain = 1.0;
    int walls = 0;
  };
  [[nodiscard]] std::vector<Listener> listeners() const;
  void add_source(std::size_t way, Role role, const PanelPlace& place, double z_m, double area_m2,
                  const std::vector<Listener>& listeners);
  [[nodiscard]] Path path_of(const PracticeWay* way, const PanelPlace& place, double z_m,
                             double area_m2, const Listener& listener, bool direct) const;
  void add_near_sources();
  [[nodiscard]] std::complex<double> pressure(const Source& source, const Path& path,
                                              std::complex<double> volume_velocity,
                                              double frequency_hz) const;
  [[nodiscard]] bool plays(const PracticeWay& way) const;

  PracticeSpeaker speaker_;
  PracticeRoom room_;
  std::shared_ptr<const PracticeCircuits> circuits_;
  double c_;
  FrequencyAxis axis_;
  std::vector<Source> sources_;
};

}  // namespace lalometer
