#include "rig/practice/practice_speaker.h"

#include <algorithm>
#include <cmath>

#include "acoustics/baffle/diffraction.h"
#include "acoustics/enclosure/port.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

/// Dense enough that straight lines between points leave no echoes of their own: 40 Hz apart at 20
/// kHz.
constexpr double kPerOctave = 384.0;

/// Volume velocities per volt at the terminals, and what the terminals see.
struct Circuits {
  Complex impedance_ohm;
  std::array<Complex, 3> volume_velocity;  ///< woofer, port, tweeter
};

Circuits solve_circuits(const PracticeSpeaker& s, double f) {
  const DriverSolution low = solve_driver(s.woofer, s.box, f);
  const DriverSolution high = solve_driver(s.tweeter, BoxLoad{}, f);
  const LadderState low_pass = solve_ladder(s.woofer_ladder, low.impedance_ohm, f);
  const LadderState high_pass = solve_ladder(s.tweeter_ladder, high.impedance_ohm, f);
  return {low_pass.input_ohm * high_pass.input_ohm / (low_pass.input_ohm + high_pass.input_ohm),
          {s.woofer.sd_m2 * low.cone_velocity_m_s_per_v * low_pass.transfer,
           low.port_volume_velocity_m3_s_per_v * low_pass.transfer,
           (s.tweeter_inverted ? -1.0 : 1.0) * s.tweeter.sd_m2 * high.cone_velocity_m_s_per_v *
               high_pass.transfer}};
}

}  // namespace

std::complex<double> practice_impedance_ohm(const PracticeSpeaker& speaker, double frequency_hz) {
  return solve_circuits(speaker, frequency_hz).impedance_ohm;
}

PracticeField::PracticeField(const PracticeSpeaker& speaker, const PracticeRoom& room)
    : speaker_(speaker),
      room_(room),
      c_(speed_of_sound_m_s(room.temperature_c)),
      axis_(FrequencyAxis::logarithmic(10.0, 96000.0, kPerOctave)) {
  direct_ = paths(false);
  image_ = paths(true);
}

std::array<PracticeField::Path, 3> PracticeField::paths(bool image) const {
  return {path_of(speaker_.woofer_y_m, speaker_.woofer.sd_m2, false, image),
          path_of(speaker_.port_y_m, speaker_.port_area_m2, speaker_.port_behind, image),
          path_of(speaker_.tweeter_y_m, speaker_.tweeter.sd_m2, false, image)};
}

PracticeField::Path PracticeField::path_of(double y, double area, bool behind, bool image) const {
  // The floor mirrors the microphone: it then stands twice the height lower.
  const double drop = image ? 2.0 * room_.origin_height_m : 0.0;
  if (speaker_.baffle && area > 0.0) {
    const Baffle& baffle = *speaker_.baffle;
    const auto piston = BafflePiston::make(baffle, speaker_.origin_x_m, speaker_.origin_y_m + y,
                                           std::sqrt(area / kPi));
    if (piston) {
      // Seen from behind the box is its own mirror image, with the microphone beyond its depth.
      const double z = behind ? -(room_.distance_m + baffle.depth_m()) : room_.distance_m;
      const BafflePoint at{speaker_.origin_x_m, speaker_.origin_y_m - drop, z};
      return {std::hypot(y + drop, z),
              baffle_response(baffle, *piston, at, axis_, c_, DiffractionEffort::kFine)};
    }
  }
  return {std::hypot(room_.distance_m, y + drop), {}};
}

std::complex<double> PracticeField::pressure(const Path& path, Complex volume_velocity,
                                             double f) const {
  const Complex wall = half_space_pressure_pa(volume_velocity, f, path.distance_m) *
                       std::polar(1.0, -2.0 * kPi * f * path.distance_m / c_);
  if (path.edges.empty()) return wall;
  const double at = std::clamp(std::log2(f / axis_.front()) * kPerOctave, 0.0,
                               static_cast<double>(axis_.size()) - 1.001);
  const auto i = static_cast<std::size_t>(at);
  const double t = at - static_cast<double>(i);
  return wall * ((1.0 - t) * path.edges[i] + t * path.edges[i + 1]);
}

PracticeOutput PracticeField::at(double f) const {
  const Circuits circuits = solve_circuits(speaker_, f);
  PracticeOutput out{circuits.impedance_ohm, 0.0, 0.0};
  for (std::size_t i = 0; i < 3; ++i) {
    out.direct_pa_per_v += pressure(direct_[i], circuits.volume_velocity[i], f);
    out.reflected_pa_per_v +=
        room_.floor_reflection * pressure(image_[i], circuits.volume_velocity[i], f);
  }
  return out;
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
           .tuning_hz =
               helmholtz_hz(0.014, {{.diameter_m = 0.05, .length_m = 0.13}}, kSpeedOfSound20_m_s)};
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
  s.port_behind = true;
  s.baffle = *Baffle::make({.width_m = 0.21,
                            .height_m = 0.38,
                            .depth_m = 0.30,
                            .edge = EdgeShape::kSquare,
                            .edge_size_m = 0.0});
  s.origin_x_m = 0.105;
  s.origin_y_m = 0.23;
  return s;
}

}  // namespace lalometer
