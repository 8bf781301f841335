#include "acoustics/enclosure/enclosure_model.h"

#include "acoustics/enclosure/box_modes.h"
#include "acoustics/open_baffle/thin_panel.h"
#include "support/support.h"

namespace lalometer {
namespace {

constexpr double kC = kSpeedOfSound20_m_s;

/// A driver by its alignment figures: fs 40 Hz, nearly no mechanical loss, so that Qts is Qes; no
/// inductance.
EnclosureDesign aligned(double qts, double volume_over_vas) {
  EnclosureDesign d;
  d.driver = elements_of({.fs_hz = 40.0,
                          .qms = 1e6,
                          .qes = qts,
                          .vas_m3 = 0.05,
                          .sd_m2 = 0.02,
                          .re_ohm = 6.0,
                          .le_h = 1e-12});
  d.load.volume_m3 = 0.05 * volume_over_vas;
  d.load.tuning_hz = 40.0;
  return d;
}

double relative_db(const EnclosureDesign& d, double f) {
  const EnclosureCurves c = solve_enclosure(d, *FrequencyAxis::make({f, f * 1.001}));
  return 20.0 * std::log10(std::abs(c.pressure_pa[0]) / kReferencePressure_pa) -
         reference_level_db(d);
}

// Small 1972: a closed box is a second-order high-pass with fc = fs sqrt(1 + alpha), Qtc = Qts
// sqrt(1 + alpha).
TEST(Enclosure, SealedIsSmallsSecondOrder) {
  EnclosureDesign d = aligned(0.5, 1.0);
  d.load.kind = BoxLoad::Kind::kSealed;
  const double fc = 40.0 * std::sqrt(2.0);
  const double q = 0.5 * std::sqrt(2.0);
  for (const double f : {20.0, 40.0, fc, 80.0, 200.0}) {
    const std::complex<double> s(0.0, f / fc);
    EXPECT_NEAR(relative_db(d, f), 20.0 * std::log10(std::abs(s * s / (s * s + s / q + 1.0))), 0.01)
        << f;
  }
  // Qtc = 0.7071: maximally flat, so f3 is fc.
  const EnclosureCurves curves = solve_enclosure(d, FrequencyAxis::logarithmic(10.0, 1000.0, 96.0));
  EXPECT_NEAR(*lower_limit_hz(curves, reference_level_db(d), 3.0103), fc, 0.1);
}

struct Butterworth {
  const char* what;
  double ql, qts, alpha;
};
class VentedAlignment : public ::testing::TestWithParam<Butterworth> {};

// The fourth-order Butterworth alignment. Lossless: Thiele 1971 (reprint of 1961), alignment 5: Qt
// 0.383, alpha sqrt 2, fb = fs = f3. With leakage QL = 7: Small 1973, part I eq. (20) solved for a1
// = a3 = 2.6131, a2 = 3.4142 at h = 1: 1/Qt + 1/QL = 2.6131, 2 + alpha + 1/(QL Qt) = 3.4142.
TEST_P(VentedAlignment, IsButterworth) {
  EnclosureDesign d = aligned(GetParam().qts, 1.0 / GetParam().alpha);
  d.load.kind = BoxLoad::Kind::kVented;
  d.load.ql = GetParam().ql;
  for (const double f : {20.0, 30.0, 40.0, 60.0, 100.0, 400.0}) {
    EXPECT_NEAR(relative_db(d, f), -10.0 * std::log10(1.0 + std::pow(40.0 / f, 8)), 0.03) << f;
  }
  const EnclosureCurves curves = solve_enclosure(d, FrequencyAxis::logarithmic(10.0, 1000.0, 96.0));
  EXPECT_NEAR(*lower_limit_hz(curves, reference_level_db(d), 3.0103), 40.0, 0.1);
  EXPECT_NEAR(*lower_limit_hz(curves, reference_level_db(d), 10.0), 40.0 / std::pow(9.0, 0.125),
              0.1);
}
INSTANTIATE_TEST_SUITE_P(Enclosure, VentedAlignment,
                         ::testing::Values(Butterworth{"lossless", 0.0, 0.38268, 1.41421},
                                           Butterworth{"leaky seven", 7.0, 0.404810, 1.061300}),
                         test::name_of_case);

TEST(Enclosure, AtTheTuningTheConeMovesLeastAndTheAirFastest) {
  EnclosureDesign d = aligned(0.38, 0.7);
  d.load = vented_load(0.035, {{.diameter_m = 0.07, .length_m = 0.12}}, 10.0, 0.0, 50.0);
  d.port_area_m2 = kPi * 0.035 * 0.035;
  const EnclosureCurves curves = solve_enclosure(d, FrequencyAxis::logarithmic(20.0, 150.0, 192.0));
  std::size_t least = 0;
  for (std::size_t i = 1; i + 1 < curves.axis.size(); ++i) {
    if (curves.excursion_m[i] < curves.excursion_m[i - 1] &&
        curves.excursion_m[i] <= curves.excursion_m[i + 1])
      least = i;
  }
  EXPECT_NEAR(curves.axis[least] / d.load.tuning_hz, 1.0, 0.02);
  // Displacement follows from velocity: the port moves what the cone would have to.
  EXPECT_GT(curves.port_speed_m_s[least],
            20.0 * 2.0 * kPi * curves.axis[least] * curves.excursion_m[least]);
}

// Small 1974: a passive radiator without own stiffness is a port of its mass; its own resonance is
// a notch.
TEST(Enclosure, PassiveRadiatorIsAPortWithANotchAtItsOwnResonance) {
  EnclosureDesign port = aligned(0.38, 0.7);
  port.load.kind = BoxLoad::Kind::kVented;
  port.load.tuning_hz = 35.0;
  EnclosureDesign radiator = port;
  radiator.load.kind = BoxLoad::Kind::kPassiveRadiator;
  const double ca = acoustic_compliance(port.load.volume_m3);
  const double sd = 0.03;
  const double mass = sd * sd / (std::pow(2.0 * kPi * 35.0, 2) * ca);
  radiator.load.radiator = PassiveRadiator{sd, mass, 1e6, 1e-9};
  EXPECT_NEAR(radiator_tuning_hz(port.load.volume_m3, *radiator.load.radiator), 35.0, 0.01);
  for (const double f : {20.0, 35.0, 60.0, 200.0})
    EXPECT_NEAR(relative_db(radiator, f), relative_db(port, f), 0.01) << f;
  // A stiff one, resonating at 15 Hz by itself: nothing comes out there.
  radiator.load.radiator->cms_m_per_n = 1.0 / (std::pow(2.0 * kPi * 15.0, 2) * mass);
  EXPECT_LT(relative_db(radiator, 15.0), relative_db(radiator, 20.0) - 30.0);
  EXPECT_GT(radiator_tuning_hz(port.load.volume_m3, *radiator.load.radiator), 35.5);
}

TEST(Enclosure, GroupDelayOfASealedBoxIsThatOfItsSecondOrder) {
  EnclosureDesign d = aligned(0.5, 1.0);
  d.load.kind = BoxLoad::Kind::kSealed;
  const double wc = 2.0 * kPi * 40.0 * std::sqrt(2.0);
  const double q = 0.5 * std::sqrt(2.0);
  const FrequencyAxis axis = *FrequencyAxis::make({30.0, 56.57, 120.0});
  const EnclosureCurves curves = solve_enclosure(d, axis);
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const double x = 2.0 * kPi * axis[i] / wc;
    const double want = (1.0 + x * x) / (q * wc * (std::pow(1.0 - x * x, 2) + x * x / (q * q)));
    EXPECT_NEAR(curves.group_delay_s[i], want, 1e-5) << axis[i];
  }
}

TEST(Enclosure, HighestLevelIsByTravelBelowAndByPowerAbove) {
  EnclosureDesign d = aligned(0.5, 1.0);
  d.load.kind = BoxLoad::Kind::kSealed;
  const EnclosureCurves curves = solve_enclosure(d, *FrequencyAxis::make({15.0, 800.0}));
  const HighestLevel highest = highest_level(d, curves, {.xmax_m = 0.004, .power_w = 50.0});
  EXPECT_EQ(highest.by[0], LevelLimit::kExcursion);
  EXPECT_EQ(highest.by[1], LevelLimit::kPower);
  // 50 W instead of 2.83 V into 6 ohm, 1.335 W: 15.7 dB more.
  EXPECT_NEAR(highest.level_db[1],
              20.0 * std::log10(std::abs(curves.pressure_pa[1]) / kReferencePressure_pa) + 15.73,
              0.02);
}

TEST(Enclosure, SeriesResistanceLowersLevelAndRaisesQ) {
  EnclosureDesign d = aligned(0.5, 1.0);
  d.load.kind = BoxLoad::Kind::kSealed;
  const double before = reference_level_db(d);
  d.series_ohm = 6.0;
  EXPECT_NEAR(reference_level_db(d) - before, -6.02, 0.01);
  EXPECT_GT(relative_db(d, 56.57), 1.0) << "Qtc doubles to 1.41, +3 dB at fc";
  EXPECT_NEAR(relative_db(d, 56.57), 3.01, 0.05);
}

TEST(Port, LengthAndTuningAreEachOthersInverse) {
  const PortGeometry port{.diameter_m = 0.05, .length_m = 0.13};
  const double tuning = helmholtz_hz(0.014, {port}, kC);
  EXPECT_NEAR(*port_length_for(tuning, 0.014, port, kC), 0.13, 1e-9);
  // Hand calculation: S = 19.63 cm2, L' = 0.13 + 1.462 * 0.025 m.
  EXPECT_NEAR(tuning, 343.0 / (2.0 * kPi) * std::sqrt(0.0019635 / (0.014 * 0.16655)), 0.01);
  EXPECT_NEAR(pipe_resonance_hz(port, kC), 343.0 / (2.0 * 0.16655), 0.1);
  const auto impossible = port_length_for(200.0, 0.014, port, kC);
  ASSERT_FALSE(impossible.has_value());
  EXPECT_NE(impossible.error().message.find("area"), std::string::npos);
}

TEST(Port, TwoAlikeAreOneOfTwiceTheAreaAndASlotIsACircleOfItsArea) {
  const PortGeometry one{.diameter_m = 0.05, .length_m = 0.1};
  PortGeometry two = one;
  two.count = 2;
  EXPECT_NEAR(helmholtz_hz(0.02, {two}, kC) / helmholtz_hz(0.02, {one}, kC), std::sqrt(2.0), 1e-12);
  EXPECT_NEAR(helmholtz_hz(0.02, {one, one}, kC), helmholtz_hz(0.02, {two}, kC), 1e-9);
  const PortGeometry slot{.diameter_m = 0.1, .length_m = 0.1, .count = 1, .slot_height_m = 0.02};
  EXPECT_NEAR(kPi * std::pow(slot.equivalent_radius_m(), 2), 0.002, 1e-12);
  PortGeometry flared = one;
  flared.flare_radius_m = 0.01;
  EXPECT_GT(helmholtz_hz(0.02, {flared}, kC), helmholtz_hz(0.02, {one}, kC));
}

TEST(Port, ClearanceAndLedgerSayWhatIsWrong) {
  const PortGeometry port{.diameter_m = 0.05, .length_m = 0.13};
  EXPECT_FALSE(clearance_problem(port, 0.25).has_value());
  EXPECT_NE(clearance_problem(port, 0.16)->find("wanted"), std::string::npos);
  EXPECT_NE(clearance_problem(port, 0.12)->find("longer"), std::string::npos);
  EXPECT_NEAR(*net_volume_m3({.gross_m3 = 0.016,
                              .drivers_m3 = 0.001,
                              .ports_m3 = 0.0004,
                              .braces_m3 = 0.0003,
                              .crossover_m3 = 0.0003}),
              0.014, 1e-12);
  EXPECT_FALSE(net_volume_m3({.gross_m3 = 0.001, .drivers_m3 = 0.002}).has_value());
}

// Common practice, no source: half a wavelength in 0.75 m is 229 Hz.
TEST(BoxModes, AreWhereHalfWavelengthsFit) {
  const auto modes = box_modes({0.2, 0.75, 0.3}, 600.0, kC);
  EXPECT_NEAR(modes[0].frequency_hz, 228.7, 0.1);
  EXPECT_EQ(modes[0].order, (std::array<int, 3>{0, 1, 0}));
  EXPECT_NEAR(modes[1].frequency_hz, 457.3, 0.1);
  for (const BoxMode& mode : modes) EXPECT_LE(mode.frequency_hz, 600.0);
  const InnerBox box{0.2, 0.75, 0.3};
  EXPECT_NEAR(mode_shape(modes[0], box, {0.1, 0.375, 0.0}), 0.0, 1e-12)
      << "a driver in the middle does not drive it";
  EXPECT_NEAR(mode_shape(modes[0], box, {0.1, 0.75, 0.0}), -1.0, 1e-12);
}

// A tall box driven at its end is a closed transmission line: Za = -j rho c / S cot(k L), poles at
// n c / 2 L.
TEST(BoxModes, OfOneDimensionAreATransmissionLine) {
  const InnerBox tall{0.02, 0.75, 0.02};
  const BoxField field(tall, BoxDamping::kNone, 20000.0, kC);
  const BoxPlace end{0.01, 0.0, 0.01};
  const double plane = kAirDensity_kg_m3 * kC / (0.02 * 0.02);
  for (const double f : {40.0, 100.0, 180.0, 300.0, 420.0}) {
    const double want = -plane / std::tan(2.0 * kPi * f / kC * 0.75);
    EXPECT_NEAR(field.transfer_pa_s_m3(end, end, f).imag() / want, 1.0, 0.03) << f;
  }
}

// Mode frequencies seen in the driver's impedance against the closed form, asked for: 1 %, empty
// and filled.
TEST(BoxModes, StandInTheImpedanceWhereTheClosedFormPutsThem) {
  for (const auto& [damping, speed] : {std::pair{BoxDamping::kNone, kC},
                                       {BoxDamping::kLined, kC},
                                       {BoxDamping::kFilled, 0.93 * kC}}) {
    EnclosureDesign d = aligned(0.4, 0.6);
    const InnerBox tall{0.16, 0.9, 0.2};
    d.load.kind = BoxLoad::Kind::kSealed;
    d.load.volume_m3 = 0.16 * 0.9 * 0.2;
    const EnclosureDesign plain = d;
    d.load.waves =
        BoxWaves{std::make_shared<BoxField>(tall, damping, 2000.0, kC), {0.08, 0.9, 0.0, 0.05}, {}};
    const FrequencyAxis axis = FrequencyAxis::logarithmic(120.0, 260.0, 960.0);
    const auto with = solve_enclosure(d, axis).impedance_ohm;
    const auto without = solve_enclosure(plain, axis).impedance_ohm;
    // The wave's own motional resistance is largest where the mode is; the admittance shows it
    // without the mass' slope.
    std::size_t peak = 0;
    const auto effect = [&](std::size_t i) {
      return std::abs(1.0 / (with[i] - 6.0) - 1.0 / (without[i] - 6.0));
    };
    for (std::size_t i = 0; i < axis.size(); ++i) peak = effect(i) > effect(peak) ? i : peak;
    // A resonator of quality Q swings widest at f sqrt(1 - 1 / 2 Q^2).
    const double undamped_hz = 0.5 * speed / 0.9;
    const double q = mode_q(damping, undamped_hz);
    // A filling's broad peak is tilted a little by its neighbours.
    EXPECT_NEAR(axis[peak] / (undamped_hz * std::sqrt(1.0 - 0.5 / (q * q))), 1.0,
                damping == BoxDamping::kFilled ? 0.015 : 0.01)
        << static_cast<int>(damping);
  }
}

TEST(Port, AsAPipeHasItsOwnResonanceInTheOutput) {
  EnclosureDesign d = aligned(0.38, 0.7);
  const PortGeometry port{.diameter_m = 0.07, .length_m = 0.2};
  d.load = vented_load(0.035, {port}, 10.0, 0.0, 50.0);
  d.port_area_m2 = port.area_m2();
  const FrequencyAxis axis = FrequencyAxis::logarithmic(300.0, 1200.0, 192.0);
  const EnclosureCurves curves = solve_enclosure(d, axis);
  std::size_t peak = 0;
  for (std::size_t i = 0; i < axis.size(); ++i)
    peak = curves.port_speed_m_s[i] > curves.port_speed_m_s[peak] ? i : peak;
  EXPECT_NEAR(axis[peak] / pipe_resonance_hz(port, kC), 1.0, 0.01);
}

// A wave between driver and port: its effect on the driver is by psi(driver)^2, on the port by
// psi(driver) psi(port).
TEST(BoxModes, LeaveAPortAtTheirNodeAlone) {
  EnclosureDesign d = aligned(0.4, 0.6);
  const InnerBox tall{0.16, 0.9, 0.2};
  const PortGeometry tube{.diameter_m = 0.06, .length_m = 0.1};
  d.load = vented_load(0.16 * 0.9 * 0.2, {tube}, 10.0, 0.0, 50.0);
  d.port_area_m2 = tube.area_m2();
  const auto field = std::make_shared<BoxField>(tall, BoxDamping::kNone, 2000.0, kC);
  const double mode_hz = 0.5 * kC / 0.9;
  const auto port_speed = [&](double port_y) {
    d.load.waves = BoxWaves{field, {0.08, 0.9, 0.0, 0.05}, {0.08, port_y, 0.2, 0.03}};
    return solve_enclosure(d, *FrequencyAxis::make({mode_hz, mode_hz * 1.01})).port_speed_m_s[0];
  };
  EXPECT_GT(port_speed(0.0), 8.0 * port_speed(0.45)) << "the middle is the first mode's node";
}

TEST(BoxModes, ALiningShrinksTheWave) {
  EnclosureDesign d = aligned(0.4, 0.6);
  const InnerBox tall{0.16, 0.9, 0.2};
  d.load.kind = BoxLoad::Kind::kSealed;
  d.load.volume_m3 = 0.16 * 0.9 * 0.2;
  const EnclosureDesign plain = d;
  const auto wiggle = [&](BoxDamping damping) {
    d.load.waves =
        BoxWaves{std::make_shared<BoxField>(tall, damping, 2000.0, kC), {0.08, 0.9, 0.0, 0.05}, {}};
    const FrequencyAxis axis = FrequencyAxis::logarithmic(150.0, 240.0, 480.0);
    const auto with = solve_enclosure(d, axis).impedance_ohm;
    const auto without = solve_enclosure(plain, axis).impedance_ohm;
    double largest = 0.0;
    for (std::size_t i = 0; i < axis.size(); ++i) {
      EXPECT_TRUE(std::isfinite(std::abs(with[i]))) << axis[i];
      largest = std::max(largest, std::abs(with[i] - without[i]));
    }
    EXPECT_GT(largest, 0.0);
    return largest;
  };
  EXPECT_LT(wiggle(BoxDamping::kLined), 0.6 * wiggle(BoxDamping::kNone));
  EXPECT_LT(wiggle(BoxDamping::kFilled), 0.3 * wiggle(BoxDamping::kNone));
}

// Energy: whatever the losses and waves, what the amplifier sees takes power and gives none back.
TEST(Enclosure, IsPassiveWithPipeWavesAndLosses) {
  EnclosureDesign d = aligned(0.4, 0.6);
  const PortGeometry tube{.diameter_m = 0.06, .length_m = 0.15};
  d.load = vented_load(0.0288, {tube}, 7.0, 30.0, 40.0);
  d.load.waves =
      BoxWaves{std::make_shared<BoxField>(InnerBox{0.16, 0.9, 0.2}, BoxDamping::kLined, 4000.0, kC),
               {0.08, 0.7, 0.0, 0.06},
               {0.08, 0.1, 0.2, 0.03}};
  for (const auto& z :
       solve_enclosure(d, FrequencyAxis::logarithmic(5.0, 1500.0, 96.0)).impedance_ohm) {
    ASSERT_GE(z.real(), d.driver.re_ohm * (1.0 - 1e-9));
  }
}

TEST(Enclosure, LossesLowerTheOutputAtTheTuning) {
  const auto level = [](double ql, double qa, double qp) {
    EnclosureDesign d = aligned(0.38, 0.7);
    d.load.kind = BoxLoad::Kind::kVented;
    d.load.ql = ql;
    d.load.qa = qa;
    d.load.qp = qp;
    return relative_db(d, 40.0);
  };
  const double lossless = level(0.0, 0.0, 0.0);
  EXPECT_LT(level(15.0, 0.0, 0.0), lossless);
  EXPECT_LT(level(3.0, 0.0, 0.0), level(15.0, 0.0, 0.0));
  EXPECT_LT(level(0.0, 20.0, 0.0), lossless);
  EXPECT_LT(level(0.0, 0.0, 20.0), lossless);
}

}  // namespace
}  // namespace lalometer

namespace lalometer {
namespace {

EnclosureDesign open_design(double wing_m) {
  const OpenBaffle panel{.width_m = 0.5,
                         .height_m = 0.9,
                         .driver_x_m = 0.25,
                         .driver_y_m = 0.45,
                         .left_wing_m = wing_m,
                         .right_wing_m = wing_m};
  EnclosureDesign d{.driver = elements_of({.fs_hz = 35.0,
                                           .qms = 4.0,
                                           .qes = 0.5,
                                           .vas_m3 = 0.08,
                                           .sd_m2 = 0.022,
                                           .re_ohm = 6.0,
                                           .le_h = 0.0}),
                    .load = open_back_load(panel)};
  d.panel = panel;
  return d;
}

// By definition: the panel's own factor (tested in tests/acoustics/baffle) times the same driver in
// free air radiating into half space.
TEST(OpenBaffleCircuit, IsTheDriverTimesThePanelsFactor) {
  const EnclosureDesign d = open_design(0.0);
  const FrequencyAxis axis = FrequencyAxis::logarithmic(20.0, 1000.0, 6.0);
  const EnclosureCurves curves = solve_enclosure(d, axis);
  EnclosureDesign wall = d;
  wall.load = {};
  wall.panel.reset();
  const EnclosureCurves half_space = solve_enclosure(wall, axis);
  const auto factor = solved_panel(*d.panel, kSpeedOfSound20_m_s)
                          ->response({d.panel->driver_x_m, d.panel->driver_y_m, kPanelDistance_m},
                                     std::sqrt(d.driver.sd_m2 / kPi), axis);
  for (std::size_t i = 0; i < axis.size(); ++i) {
    EXPECT_NEAR(std::abs(curves.pressure_pa[i] / half_space.pressure_pa[i] / factor[i] - 1.0), 0.0,
                1e-6)
        << axis[i];
    EXPECT_NEAR(std::abs(curves.impedance_ohm[i] - half_space.impedance_ohm[i]), 0.0, 1e-9);
  }
}

// A duct behind the cone is air that moves with it: the resonance falls, and the bass of a U-frame
// is stronger than the flat panel's (fact of the trade).
TEST(OpenBaffleCircuit, WingsLoadTheConeAndGiveBass) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(20.0, 80.0, 96.0);
  const EnclosureCurves flat = solve_enclosure(open_design(0.0), axis);
  const EnclosureCurves deep = solve_enclosure(open_design(0.3), axis);
  const auto peak = [&](const EnclosureCurves& c) {
    std::size_t best = 0;
    for (std::size_t i = 0; i < axis.size(); ++i)
      if (std::abs(c.impedance_ohm[i]) > std::abs(c.impedance_ohm[best])) best = i;
    return axis[best];
  };
  EXPECT_LT(peak(deep), peak(flat));
  EXPECT_GT(std::abs(deep.pressure_pa[80]), 1.15 * std::abs(flat.pressure_pa[80]));
  for (const auto& z : deep.impedance_ohm) EXPECT_GT(z.real(), 0.0);
}

// Limits of an open end by Levine and Schwinger 1948: (ka)^2/4 and 0.6133 ka far below, hardly any
// reflection far above.
TEST(OpenBaffleCircuit, MouthRadiatesAsAnOpenPipe) {
  BoxLoad duct;
  duct.kind = BoxLoad::Kind::kOpenBack;
  duct.pipe = PortPipe{kPi * 0.01, 1e-9, 0.1};
  const double plane = kAirDensity_kg_m3 * kSpeedOfSound20_m_s / (kPi * 0.01);
  const double low = 0.05 * kSpeedOfSound20_m_s / (2.0 * kPi * 0.1);  // ka = 0.05
  const auto z = solve_box(duct, low).impedance_pa_s_m3 / plane;
  EXPECT_NEAR(z.real() / (0.25 * 0.05 * 0.05), 1.0, 0.02);
  EXPECT_NEAR(z.imag() / (0.6133 * 0.05), 1.0, 0.01);
  const auto high = solve_box(duct, 400.0 * low).impedance_pa_s_m3 / plane;
  EXPECT_LT(std::abs((high - 1.0) / (high + 1.0)), 0.25);
}

TEST(BoxWaves, AreTheFieldAtTheirPlaces) {
  const InnerBox box{0.2, 0.5, 0.3};
  const auto field = std::make_shared<BoxField>(box, BoxDamping::kLined, 2000.0, 343.0);
  const BoxPlace cone{0.1, 0.2, 0.0, 0.05};
  const BoxPlace port{0.1, 0.4, 0.3, 0.02};
  const BoxWaves waves(field, cone, port);
  for (const double f : {150.0, 340.0, 900.0}) {
    EXPECT_NEAR(std::abs(waves.between(BoxWaves::kCone, BoxWaves::kPort, f) /
                             field->waves_pa_s_m3(cone, port, f) -
                         1.0),
                0.0, 1e-12);
    EXPECT_NEAR(std::abs(waves.between(BoxWaves::kPort, BoxWaves::kCone, f) -
                         waves.between(BoxWaves::kCone, BoxWaves::kPort, f)),
                0.0, 1e-9)
        << "reciprocity";
  }
  const double first = 0.5 * 343.0 / 0.5;
  EXPECT_GT(std::abs(waves.undamped().between(BoxWaves::kCone, BoxWaves::kCone, first)),
            2.0 * std::abs(waves.between(BoxWaves::kCone, BoxWaves::kCone, first)));
}

// ISO 16 and equal temperament: E1 41.203, B0 30.868, A4 440, Bb1 58.270 (handbook table).
TEST(Notes, HaveTheirFrequencies) {
  EXPECT_NEAR(*note_hz("E1"), 41.203, 0.001);
  EXPECT_NEAR(*note_hz("B0"), 30.868, 0.001);
  EXPECT_EQ(*note_hz("A4"), 440.0);
  EXPECT_NEAR(*note_hz("Bb1"), 58.270, 0.001);
  EXPECT_NEAR(*note_hz("A#1"), *note_hz("Bb1"), 1e-9);
  for (const char* bad : {"", "H1", "E", "E#", "e1", "E11", ".1", "Cb"})
    EXPECT_FALSE(note_hz(bad)) << bad;
}

}  // namespace
}  // namespace lalometer
