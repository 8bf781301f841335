#include "rig/practice/practice_speaker.h"

#include <cmath>

#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

Complex flight(double frequency_hz, double distance_m, double c) {
  return std::polar(1.0, -2.0 * kPi * frequency_hz * distance_m / c);
}

}  // namespace

PracticeOutput solve_speaker(const PracticeSpeaker& s, const PracticeRoom& room, double f) {
  const DriverSolution low = solve_driver(s.woofer, s.box, f);
  const DriverSolution high = solve_driver(s.tweeter, BoxLoad{}, f);
  const LadderState low_pass = solve_ladder(s.woofer_ladder, low.impedance_ohm, f);
  const LadderState high_pass = solve_ladder(s.tweeter_ladder, high.impedance_ohm, f);

  const Complex cone = s.woofer.sd_m2 * low.cone_velocity_m_s_per_v * low_pass.transfer;
  const Complex port = low.port_volume_velocity_m3_s_per_v * low_pass.transfer;
  const Complex dome = (s.tweeter_inverted ? -1.0 : 1.0) * s.tweeter.sd_m2 *
                       high.cone_velocity_m_s_per_v * high_pass.transfer;

  const double c = speed_of_sound_m_s(room.temperature_c);
  const auto at_microphone = [&](Complex volume_velocity, double y, bool image) {
    // The image stands mirrored at the floor; its height above the microphone is then -2 h - y.
    const double rise = image ? 2.0 * room.origin_height_m + y : y;
    const double r = std::hypot(room.distance_m, rise);
    return half_space_pressure_pa(volume_velocity, f, r) * flight(f, r, c);
  };
  const auto sum = [&](bool image) {
    return at_microphone(cone, s.woofer_y_m, image) + at_microphone(port, s.port_y_m, image) +
           at_microphone(dome, s.tweeter_y_m, image);
  };
  return {low_pass.input_ohm * high_pass.input_ohm / (low_pass.input_ohm + high_pass.input_ohm),
          sum(false), room.floor_reflection * sum(true)};
}

PracticeSpeaker kiosk_two_way(bool lined) {
  using Place = LadderPart::Place;
  PracticeSpeaker s;
  s.woofer = elements_of({.fs_hz = 42.0,
                          .qms = 4.2,
                          .qes = 0.46,
                          .vas_m3 = 0.0215,
                          .sd_m2 = 0.0132,
                          .re_ohm = 5.6,
                          .le_h = 0.00025});
  s.woofer.le2_h = 0.0006;
  s.woofer.re2_ohm = 2.6;
  s.box = {.kind = BoxLoad::Kind::kVented,
           .volume_m3 = 0.014,
           .ql = 9.0,
           .qa = lined ? 12.0 : 60.0,
           .qp = 60.0,
           .tuning_hz = tuning_hz(0.014, {.diameter_m = 0.05, .length_m = 0.13})};
  s.tweeter = elements_of({.fs_hz = 820.0,
                           .qms = 1.9,
                           .qes = 1.35,
                           .vas_m3 = 8.0e-6,
                           .sd_m2 = 0.00075,
                           .re_ohm = 5.3,
                           .le_h = 0.00003});
  s.woofer_ladder = {{.place = Place::kSeries, .resistance_ohm = 0.25, .inductance_h = 0.00068},
                     {.place = Place::kShunt, .resistance_ohm = 2.2, .capacitance_f = 9.1e-6}};
  s.tweeter_ladder = {{.place = Place::kSeries, .resistance_ohm = 2.7},
                      {.place = Place::kSeries, .capacitance_f = 7.5e-6},
                      {.place = Place::kShunt, .resistance_ohm = 0.25, .inductance_h = 0.00036}};
  s.tweeter_inverted = true;
  s.woofer_y_m = -0.095;
  s.tweeter_y_m = 0.06;
  s.port_y_m = -0.12;
  s.port_area_m2 = kPi * 0.025 * 0.025;
  return s;
}

}  // namespace lalometer
