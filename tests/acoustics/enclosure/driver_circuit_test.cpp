#include "acoustics/enclosure/driver_circuit.h"

#include "acoustics/enclosure/port.h"
#include "support/support.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

/// The driver of the netlists in tests/reference.
const DriverParameters kNetlistDriver{.re_ohm = 5.6,
                                      .le_h = 0.0004,
                                      .bl_tm = 7.1,
                                      .mms_kg = 0.018,
                                      .cms_m_per_n = 0.0008,
                                      .rms_kg_per_s = 1.1,
                                      .sd_m2 = 0.0132};

// Reference: ngspice 39, tests/reference/vented_box.cir.
TEST(DriverCircuit, EqualsNgspiceInAVentedBox) {
  const BoxLoad box{
      .kind = BoxLoad::Kind::kVented, .volume_m3 = 0.014, .ql = 7.0, .tuning_hz = 45.0};
  const std::pair<double, Complex> reference[] = {
      {20.0, {9.061627, 10.78563}},  {30.0, {11.03879, -9.26724}},  {45.0, {6.726341, 0.09627206}},
      {62.0, {9.719206, 7.228771}},  {100.0, {7.543642, -7.94200}}, {400.0, {5.628884, -0.138828}},
      {2000.0, {5.601087, 4.803456}}};
  for (const auto& [f, want] : reference) {
    const Complex got = solve_driver(kNetlistDriver, box, f).impedance_ohm;
    EXPECT_LT(std::abs(got - want), 2e-5 * std::abs(want)) << f << " Hz: " << got;
  }
}

// Reference: ngspice 39, tests/reference/passive_radiator.cir.
TEST(DriverCircuit, EqualsNgspiceWithAPassiveRadiator) {
  BoxLoad box{.kind = BoxLoad::Kind::kPassiveRadiator, .volume_m3 = 0.014};
  box.radiator =
      PassiveRadiator{.sd_m2 = 0.02, .mms_kg = 0.06, .cms_m_per_n = 0.0012, .rms_kg_per_s = 0.9};
  const std::pair<double, Complex> reference[] = {
      {12.0, {5.824139, 2.850495}},   {18.7, {6.597114, 5.767326}}, {30.0, {24.98986, -11.1554}},
      {45.0, {6.120415, -0.0242721}}, {62.0, {8.281006, 9.405279}}, {100.0, {7.157347, -7.98189}},
      {400.0, {5.628583, -0.138811}}};
  for (const auto& [f, want] : reference) {
    const Complex got = solve_driver(kNetlistDriver, box, f).impedance_ohm;
    EXPECT_LT(std::abs(got - want), 2e-5 * std::abs(want)) << f << " Hz: " << got;
  }
}

TEST(DriverCircuit, QuotedParametersComeBack) {
  const DriverParameters d = elements_of({.fs_hz = 42.0,
                                          .qms = 4.2,
                                          .qes = 0.46,
                                          .vas_m3 = 0.0215,
                                          .sd_m2 = 0.0132,
                                          .re_ohm = 5.6,
                                          .le_h = 2e-4});
  EXPECT_NEAR(d.fs_hz(), 42.0, 1e-9);
  EXPECT_NEAR(d.qms(), 4.2, 1e-9);
  EXPECT_NEAR(d.qes(), 0.46, 1e-9);
  EXPECT_NEAR(d.qts(), 4.2 * 0.46 / 4.66, 1e-9);
  EXPECT_NEAR(d.vas_m3(), 0.0215, 1e-12);
}

// Small 1972 / Beranek: level at 1 W, 1 m in half space is 112.1 dB + 10 log10(efficiency).
TEST(DriverCircuit, PassBandLevelFollowsFromTheReferenceEfficiency) {
  const DriverParameters d = elements_of({.fs_hz = 40.0,
                                          .qms = 10.0,
                                          .qes = 0.4,
                                          .vas_m3 = 0.03,
                                          .sd_m2 = 0.0132,
                                          .re_ohm = 6.0,
                                          .le_h = 1e-9});
  const double f = 4000.0;  // a hundred times fs: mass-controlled, Re alone counts
  const Complex u =
      d.sd_m2 * solve_driver(d, {}, f).cone_velocity_m_s_per_v * std::sqrt(6.0);  // 1 W into Re
  const double level =
      to_level_db(std::abs(half_space_pressure_pa(u, f, 1.0)), kReferencePressure_pa);
  EXPECT_NEAR(level, 112.1 + 10.0 * std::log10(reference_efficiency(d)), 0.1);
}

// A vented box falls 24 dB an octave far below its tuning (Small 1973), a sealed one 12.
TEST(DriverCircuit, BoxesFallAtTheirOwnSlopes) {
  const DriverParameters d = elements_of({.fs_hz = 40.0,
                                          .qms = 10.0,
                                          .qes = 0.4,
                                          .vas_m3 = 0.03,
                                          .sd_m2 = 0.0132,
                                          .re_ohm = 6.0,
                                          .le_h = 1e-9});
  const auto level = [&](const BoxLoad& box, double f) {
    const DriverSolution s = solve_driver(d, box, f);
    const Complex u = d.sd_m2 * s.cone_velocity_m_s_per_v + s.port_volume_velocity_m3_s_per_v;
    return to_level_db(std::abs(half_space_pressure_pa(u, f, 1.0)), kReferencePressure_pa);
  };
  const BoxLoad vented{.kind = BoxLoad::Kind::kVented, .volume_m3 = 0.02, .tuning_hz = 40.0};
  const BoxLoad sealed{.kind = BoxLoad::Kind::kSealed, .volume_m3 = 0.02, .tuning_hz = 40.0};
  EXPECT_NEAR(level(vented, 2.0) - level(vented, 1.0), 24.08, 0.1);
  EXPECT_NEAR(level(sealed, 2.0) - level(sealed, 1.0), 12.04, 0.1);
}

TEST(BoxLoad, PortOfALosslessBoxAtTuningCarriesAllAndHoldsTheCone) {
  const BoxLoad box{
      .kind = BoxLoad::Kind::kVented, .volume_m3 = 0.014, .ql = 1e9, .tuning_hz = 45.0};
  const BoxState state = solve_box(box, 45.0);
  EXPECT_GT(std::abs(state.impedance_pa_s_m3), 1e8);
}

// Common practice, no source: two round ports of 51 mm, 191 mm long, in 42.5 l tune to about 35 to
// 37 Hz.
TEST(Tuning, OfTwoPortsIsAsThePractitionersFindIt) {
  EXPECT_NEAR(helmholtz_hz(0.0425, {{.diameter_m = 0.051, .length_m = 0.191, .count = 2}}, 343.0),
              36.0, 1.5);
}

}  // namespace
}  // namespace lalometer

namespace lalometer {
namespace {

DriverParameters bare() {
  return elements_of({.fs_hz = 42.0,
                      .qms = 4.2,
                      .qes = 0.46,
                      .vas_m3 = 0.0215,
                      .sd_m2 = 0.0132,
                      .re_ohm = 5.6,
                      .le_h = 0.00025});
}

// Conservation: far below its resonance a mode's mass moves with the rest, so nothing changes; at
// its resonance it moves Q times as far, far above it stays behind.
TEST(ConeMode, IsPartOfTheMassBelowAndLeftBehindAbove) {
  const DriverParameters rigid = bare();
  DriverParameters bending = rigid;
  bending.modes = {{4000.0, 10.0, 0.05, 0.2}};
  const DriverSolution low = solve_driver(bending, {}, 40.0);
  EXPECT_NEAR(std::abs(low.impedance_ohm / solve_driver(rigid, {}, 40.0).impedance_ohm - 1.0), 0.0,
              1e-4);
  const auto shares = [&](double f) {
    const DriverSolution s = solve_driver(bending, {}, f);
    return std::abs(s.cone_volume_velocity_m3_s_per_v / s.cone_velocity_m_s_per_v) / rigid.sd_m2;
  };
  EXPECT_NEAR(shares(40.0), 1.0, 1e-3);
  // 0.8 of the area with the coil, 0.2 moving 10 times as far a quarter turn behind.
  EXPECT_NEAR(shares(4000.0), std::hypot(1.0, 2.0), 0.05);
  EXPECT_NEAR(shares(40000.0), 0.8, 0.01);
  const DriverSolution at = solve_driver(bending, {}, 4000.0);
  EXPECT_GT(std::abs(at.impedance_ohm / solve_driver(rigid, {}, 4000.0).impedance_ohm - 1.0), 0.002)
      << "the motor feels it: a wiggle";
}

// Limit: an infinitely heavy wall is a wall; a wall that gives way shows near its resonance.
TEST(YieldingPanel, VanishesWithItsMass) {
  BoxLoad box{.kind = BoxLoad::Kind::kVented,
              .volume_m3 = 0.014,
              .ql = 7.0,
              .qa = 50.0,
              .qp = 50.0,
              .tuning_hz = 45.0};
  const BoxLoad stiff = box;
  const auto panel = [&](double mass) {
    const double w = 2.0 * kPi * 320.0;
    box.panel = PassiveRadiator{0.04, mass, 1.0 / (w * w * mass), w * mass / 25.0};
    return box;
  };
  for (const double f : {30.0, 45.0, 320.0, 700.0}) {
    const BoxState heavy = solve_box(panel(1e6), f);
    EXPECT_NEAR(std::abs(heavy.impedance_pa_s_m3 / solve_box(stiff, f).impedance_pa_s_m3 - 1.0),
                0.0, 1e-4);
    EXPECT_NEAR(std::abs(heavy.port_share - solve_box(stiff, f).port_share), 0.0, 1e-4);
  }
  EXPECT_GT(std::abs(solve_box(panel(0.4), 320.0).panel_share), 0.1);
  // Continuity: what goes in comes out of port, panel and leak or fills the air.
  const BoxState s = solve_box(panel(0.4), 60.0);
  const double w = 2.0 * kPi * 60.0;
  const double absorption = 1.0 / (2.0 * kPi * 45.0 * acoustic_compliance(0.014) * 50.0);
  const std::complex<double> air(absorption, -1.0 / (w * acoustic_compliance(0.014)));
  EXPECT_NEAR(
      std::abs(s.impedance_pa_s_m3 / air + s.port_share + s.panel_share + s.leak_share - 1.0), 0.0,
      1e-9);
}

// c/4L' of the duct (hand calculation): an open U-frame of 0.25 m and 0.3 x 0.4 m has its resonance
// near 343 / 4 / (0.25 + 0.613 * 0.195) = 232 Hz.
TEST(OpenBack, DuctResonatesAtAQuarterWave) {
  BoxLoad duct;
  duct.kind = BoxLoad::Kind::kOpenBack;
  EXPECT_EQ(solve_box(duct, 100.0).port_share, 1.0);
  EXPECT_EQ(solve_box(duct, 100.0).impedance_pa_s_m3, 0.0);
  duct.pipe = PortPipe{0.12, 0.25 + 0.613 * std::sqrt(0.12 / kPi)};
  duct.qp = 20.0;
  double best = 0.0;
  double at = 0.0;
  for (double f = 100.0; f < 400.0; f += 0.5) {
    if (const double share = std::abs(solve_box(duct, f).port_share); share > best) {
      best = share;
      at = f;
    }
  }
  EXPECT_NEAR(at, 232.0, 2.0);
  EXPECT_GT(best, 5.0);
}

}  // namespace
}  // namespace lalometer
