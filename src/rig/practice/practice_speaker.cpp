#include "rig/practice/practice_speaker.h"

#include <algorithm>
#include <cmath>

#include "acoustics/enclosure/port.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

/// A mode of quality 50 spans ten of these steps between its half-power points.
constexpr double kPerOctave = 384.0;
constexpr double kLowest_hz = 0.5;
constexpr double kHighest_hz = 1e5;

/// All complex numbers of a state, to treat them alike.
constexpr Complex WayState::*kParts[] = {
    &WayState::impedance_ohm, &WayState::ladder,   &WayState::cone_velocity, &WayState::front,
    &WayState::port,          &WayState::yielding, &WayState::leak};

/// Catmull-Rom between b and c.
Complex cubic(Complex a, Complex b, Complex c, Complex d, double t) {
  return b +
         0.5 * t * (c - a + t * (2.0 * a - 5.0 * b + 4.0 * c - d + t * (3.0 * (b - c) + d - a)));
}

/// Without polarity and delay, so that what is tabled turns slowly.
WayState solve_undelayed(const PracticeWay& way, double f) {
  const Complex load =
      way.guide ? throat_load_pa_s_m3(*way.guide, f, kSpeedOfSound20_m_s) : Complex(0.0);
  const DriverSolution d = solve_driver(way.driver, way.box, f, 0.0, load);
  const LadderState ladder = solve_ladder(way.ladder, d.impedance_ohm, f);
  WayState s{.impedance_ohm = ladder.input_ohm,
             .ladder = ladder.transfer,
             .cone_velocity = d.cone_velocity_m_s_per_v * ladder.transfer,
             .front = d.cone_volume_velocity_m3_s_per_v * ladder.transfer,
             .port = d.port_volume_velocity_m3_s_per_v * ladder.transfer,
             .yielding = d.panel_volume_velocity_m3_s_per_v * ladder.transfer,
             .leak = d.leak_volume_velocity_m3_s_per_v * ladder.transfer};
  if (way.guide) s.front *= mouth_gain(*way.guide, f, kSpeedOfSound20_m_s);
  return s;
}

/// The delay stands before the amplifier of an active way: it turns everything but impedance and
/// ladder.
void turn(WayState& s, bool inverted, double delay_s, double f) {
  const Complex factor = (inverted ? -1.0 : 1.0) * std::polar(1.0, -2.0 * kPi * f * delay_s);
  for (Complex WayState::*part : {&WayState::cone_velocity, &WayState::front, &WayState::port,
                                  &WayState::yielding, &WayState::leak})
    s.*part *= factor;
}

}  // namespace

PracticeWay* PracticeSpeaker::way(const std::string& id) {
  const auto found =
      std::find_if(ways.begin(), ways.end(), [&](const PracticeWay& w) { return w.id == id; });
  return found == ways.end() ? nullptr : &*found;
}

const PracticeWay* PracticeSpeaker::way(const std::string& id) const {
  const auto found =
      std::find_if(ways.begin(), ways.end(), [&](const PracticeWay& w) { return w.id == id; });
  return found == ways.end() ? nullptr : &*found;
}

WayState solve_way(const PracticeWay& way, double frequency_hz) {
  WayState s = solve_undelayed(way, frequency_hz);
  turn(s, way.inverted, way.delay_s, frequency_hz);
  return s;
}

std::complex<double> practice_impedance_ohm(const PracticeSpeaker& speaker, double frequency_hz) {
  Complex admittance = 0.0;
  for (const PracticeWay& way : speaker.ways)
    admittance += 1.0 / solve_undelayed(way, frequency_hz).impedance_ohm;
  return 1.0 / admittance;
}

PracticeCircuits::PracticeCircuits(const PracticeSpeaker& speaker) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(kLowest_hz, kHighest_hz, kPerOctave);
  for (const PracticeWay& way : speaker.ways) {
    delays_s_.push_back(way.delay_s);
    inverted_.push_back(way.inverted);
    std::vector<WayState> column;
    column.reserve(axis.size());
    for (const double f : axis.hz()) column.push_back(solve_undelayed(way, f));
    table_.push_back(std::move(column));
  }
}

void PracticeCircuits::at(double f, std::vector<WayState>& states) const {
  states.resize(table_.size());
  for (std::size_t w = 0; w < table_.size(); ++w) {
    const std::vector<WayState>& column = table_[w];
    const double at = std::clamp(std::log2(f / kLowest_hz) * kPerOctave, 1.0,
                                 static_cast<double>(column.size()) - 2.001);
    const auto i = static_cast<std::size_t>(at);
    const double t = at - static_cast<double>(i);
    for (Complex WayState::*part : kParts)
      states[w].*part =
          cubic(column[i - 1].*part, column[i].*part, column[i + 1].*part, column[i + 2].*part, t);
    turn(states[w], inverted_[w], delays_s_[w], f);
  }
}

std::complex<double> PracticeCircuits::impedance_ohm(double f) const {
  std::vector<WayState> states;
  at(f, states);
  Complex admittance = 0.0;
  for (const WayState& s : states) admittance += 1.0 / s.impedance_ohm;
  return 1.0 / admittance;
}

PracticeSpeaker kiosk_two_way(bool lined) {
  using Place = LadderPart::Place;
  PracticeSpeaker s;
  PracticeWay woofer{.id = "woofer",
                     .driver = elements_of({.fs_hz = 42.0,
                                            .qms = 4.2,
                                            .qes = 0.46,
                                            .vas_m3 = 0.0215,
                                            .sd_m2 = 0.0132,
                                            .re_ohm = 5.6,
                                            .le_h = 0.00025}),
                     .box = {},
                     .ladder = {},
                     .y_m = -0.095};
  woofer.driver.le2_h = 0.0006;
  woofer.driver.re2_ohm = 2.6;
  woofer.box = {.kind = BoxLoad::Kind::kVented,
                .volume_m3 = 0.014,
                .ql = 9.0,
                .qa = lined ? 12.0 : 60.0,
                .qp = 60.0,
                .tuning_hz = helmholtz_hz(0.014, {{.diameter_m = 0.05, .length_m = 0.13}},
                                          kSpeedOfSound20_m_s)};
  woofer.ladder = {{.place = Place::kSeries, .resistance_ohm = 0.25, .inductance_h = 0.00068},
                   {.place = Place::kShunt, .resistance_ohm = 2.2, .capacitance_f = 9.1e-6}};
  PracticeWay tweeter{.id = "tweeter",
                      .driver = elements_of({.fs_hz = 820.0,
                                             .qms = 1.9,
                                             .qes = 1.35,
                                             .vas_m3 = 8.0e-6,
                                             .sd_m2 = 0.00075,
                                             .re_ohm = 5.3,
                                             .le_h = 0.00003}),
                      .box = {},
                      .ladder = {},
                      .inverted = true,
                      .y_m = 0.06};
  tweeter.ladder = {{.place = Place::kSeries, .resistance_ohm = 2.7},
                    {.place = Place::kSeries, .capacitance_f = 7.5e-6},
                    {.place = Place::kShunt, .resistance_ohm = 0.25, .inductance_h = 0.00036}};
  s.ways = {std::move(woofer), std::move(tweeter)};
  s.port = {Panel::kBack, 0.0, -0.12};
  s.port_area_m2 = kPi * 0.025 * 0.025;
  s.baffle = *Baffle::make({.width_m = 0.21,
                            .height_m = 0.38,
                            .depth_m = 0.30,
                            .edge = EdgeShape::kSquare,
                            .edge_size_m = 0.0});
  s.origin_x_m = 0.105;
  s.origin_y_m = 0.23;
  return s;
}

PracticeSpeaker kiosk_in_life(bool lined) {
  PracticeSpeaker s = kiosk_two_way(lined);
  PracticeWay& woofer = s.ways[0];
  const InnerBox inner{0.178, 0.348, 0.262};
  woofer.box.waves =
      BoxWaves{std::make_shared<BoxField>(inner, lined ? BoxDamping::kLined : BoxDamping::kNone,
                                          3000.0, kSpeedOfSound20_m_s),
               {0.089, 0.119, 0.0, 0.057},
               {0.089, 0.094, 0.262 - 0.13, 0.022}};
  woofer.box.pipe =
      PortPipe{s.port_area_m2, acoustic_length_m({.diameter_m = 0.05, .length_m = 0.13})};
  woofer.motor = MotorCurves{.bl_travel_m = 0.0045,
                             .kms_travel_m = 0.005,
                             .bl_centre_m = 0.0004,
                             .kms_rest_m = -0.0003,
                             .le_share = 0.15,
                             .coil_k_per_w = 4.0,
                             .coil_j_per_k = 7.0,
                             .port_loss_factor = 1.0};
  s.ways[1].motor = MotorCurves{.bl_travel_m = 0.0004,
                                .kms_travel_m = 0.0004,
                                .bl_centre_m = 0.00003,
                                .coil_k_per_w = 12.0,
                                .coil_j_per_k = 0.8};
  return s;
}

}  // namespace lalometer
