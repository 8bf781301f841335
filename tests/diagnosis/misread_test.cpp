// What looked like a fault and was something else: each by the circuit or the geometry that makes
// it.
#include <gtest/gtest.h>

#include "diagnosis/made_curves.h"
#include "diagnosis/view/sound/step.h"
#include "diagnosis/view/view.h"

namespace lalometer {
namespace {

using namespace made;

/// A box with a radiator by Small's circuit (1974), its impedance and nothing else.
/// @param leak  QL
CaseMaterial radiator_box(double leak) {
  CaseMaterial m = one_cone(0.065);
  m.subject.loading = "passive-radiator";
  m.subject.radiators.push_back({"radiator", 0.08});
  m.subject.volume_m3 = 0.014;
  BoxLoad box{.kind = BoxLoad::Kind::kPassiveRadiator};
  box.volume_m3 = 0.014;
  box.ql = leak;
  box.tuning_hz = 45.0;
  // Its own resonance at 0.4 of the tuning, of a Q of 9.
  const double area = 0.0201;
  const double box_n_m = area * area / acoustic_compliance(0.014);
  const double own_n_m = box_n_m / (1.0 / (0.4 * 0.4) - 1.0);
  const double mass = (box_n_m + own_n_m) / std::pow(2.0 * kPi * 45.0, 2);
  box.radiator = PassiveRadiator{area, mass, 1.0 / own_n_m, std::sqrt(mass * own_n_m) / 9.0};
  const DriverParameters driver = woofer();
  m.takes.push_back({.kind = CaseTake::Kind::kImpedance,
                     .name = "box",
                     .condition = "in-box",
                     .curve = curve(Quantity::kImpedance, 6.0, 6000.0, 96.0, true, [&](double f) {
                       return solve_driver(driver, box, f).impedance_ohm;
                     })});
  return m;
}

// The largest flow of the radiator over the cone's, by the same circuit, is about 2 and about 5.
TEST(MisreadTest, TheImpedanceAloneTellsALeakBesideARadiator) {
  const CaseMaterial leaky = radiator_box(2.3);
  const CaseView v = view_of(leaky);
  ASSERT_TRUE(v.box && v.box->passed_q);
  EXPECT_NEAR(v.box->passed_q->value, 2.1, 0.35);
  EXPECT_GT(probability(diagnose(leaky), "box-leak"), 0.5);
  EXPECT_LT(probability(diagnose(radiator_box(40.0)), "box-leak"), 0.2);
}

// 12 dB an octave below 180 Hz are a small closed box's; its front's step would be higher up.
TEST(MisreadTest, WhereABoxEndsItsBassIsNoStep) {
  CaseMaterial m = one_cone(0.05);
  const DriverParameters driver = woofer();
  const double share = 5.0;
  BoxLoad box{.kind = BoxLoad::Kind::kSealed};
  box.volume_m3 = driver.vas_m3() / (share * share);
  m.takes.push_back({.kind = CaseTake::Kind::kImpedance,
                     .name = "box",
                     .condition = "in-box",
                     .curve = curve(Quantity::kImpedance, 10.0, 6000.0, 96.0, true, [&](double f) {
                       return solve_driver(driver, box, f).impedance_ohm;
                     })});
  const double fc = driver.fs_hz() * std::sqrt(1.0 + share * share);
  m.takes.push_back(at_angle(
      0.0, level_of(
               [&](double f) {
                 const std::complex<double> s(0.0, f / fc);
                 return 86.0 + 20.0 * std::log10(std::abs(s * s / (s * s + 1.4 * s + 1.0)));
               },
               60.0)));
  const CaseView v = view_of(m);
  ASSERT_TRUE(v.closed.has_value());
  const auto step = step_share(v);
  EXPECT_TRUE(!step || step->low_hz >= 1.9 * v.closed->fs_hz.value);
  EXPECT_LT(probability(diagnose(m), "baffle-step"), 0.3);
}

// A cone of 160 mm on a front of 176 mm with edges of 15 mm round reaches into the round.
TEST(MisreadTest, AConeThatReachesTheRoundHasItsStepAsWell) {
  CaseMaterial m = one_cone(0.08);
  m.subject.baffle = *Baffle::make({.width_m = 0.176,
                                    .height_m = 0.4,
                                    .depth_m = 0.25,
                                    .edge = EdgeShape::kRound,
                                    .edge_size_m = 0.015});
  m.subject.origin_x_m = 0.088;
  m.subject.origin_y_m = 0.2;
  m.takes.push_back(at_angle(
      0.0, level_of([](double f) { return 80.0 + 6.0 / (1.0 + std::pow(550.0 / f, 2)); }, 60.0)));
  EXPECT_TRUE(step_share(view_of(m)).has_value());
  EXPECT_GT(probability(diagnose(m), "baffle-step"), 0.5);
}

// What is told of a trap's shoulder or where no cone bends any more.
TEST(MisreadTest, BroadShouldersAndWhatLiesFarUpAreNoBends) {
  const auto said = [](double radius, double at_hz, double octaves) {
    CaseMaterial m = one_cone(radius);
    for (const double a : {0.0, 30.0, -30.0, 45.0})
      m.takes.push_back(
          at_angle(a, level_of([&](double f) { return 86.0 + bell(f, at_hz, 2.2, octaves); })));
    return probability(diagnose(m), "driver-breakup");
  };
  const double usual = said(0.06, 2600.0, 0.12);
  EXPECT_LT(said(0.06, 2600.0, 0.45), 0.6 * usual) << "broad";
  EXPECT_LT(said(0.09, 7200.0, 0.12), 0.6 * usual) << "11.9 wavelengths round";
}

// A front's edges are those of the driver that plays: where nobody told the woofer's size the
// tweeter's are not its.
TEST(MisreadTest, AnotherDriversEdgesAreNotTheWoofers) {
  CaseMaterial m = two_ways();
  m.takes.push_back(at_angle(0.0, level_of([](double f) { return 86.0 + bell(f, 700, -3, 0.2); })));
  ASSERT_FALSE(view_of(m).features.empty());
  EXPECT_TRUE(view_of(m).features.front().from_edges.has_value());
  m.subject.drivers[0].radius_m = 0.0;
  ASSERT_FALSE(view_of(m).features.empty());
  EXPECT_FALSE(view_of(m).features.front().from_edges.has_value());
}

// A tooth of a comb where the port's pipe would be is the copy's.
TEST(MisreadTest, AToothOfACombIsNoPipe) {
  CaseMaterial m = two_ways();
  m.subject.loading = "vented";
  const PortGeometry port{.diameter_m = 0.05, .length_m = 0.11};
  m.subject.ports = {{"port", port, port.equivalent_radius_m(), 1, true}};
  const double pipe_hz = pipe_resonance_hz(port, kSpeedOfSound20_m_s);
  const double delay_s = 2.5 / pipe_hz;
  for (const double a : {0.0, 15.0, -15.0, 30.0, -30.0})
    m.takes.push_back(at_angle(
        a, level_of(
               [&](double f) {
                 return 86.0 + 20.0 * std::log10(std::abs(
                                          1.0 + 0.4 * std::polar(1.0, -2.0 * kPi * f * delay_s)));
               },
               150.0)));
  const Diagnosis d = diagnose(m);
  EXPECT_GT(probability(d, "reflection"), 0.7);
  EXPECT_LT(probability(d, "port-pipe-resonance"), 0.4);
}

/// A copy whose treble is soft: above, taking it out would put in what was not there.
TEST(MisreadTest, WhatTakingACopyOutPutsInIsNoFeature) {
  CaseMaterial m = two_ways();
  for (const double a : {0.0, 15.0, -15.0, 30.0, -30.0})
    m.takes.push_back(at_angle(
        a, level_of(
               [&](double f) {
                 const double share = 0.42 / (1.0 + std::pow(f / 5000.0, 4));
                 return 86.0 + 20.0 * std::log10(std::abs(
                                          1.0 + share * std::polar(1.0, -2.0 * kPi * f * 2.4e-3)));
               },
               150.0)));
  const Diagnosis d = diagnose(m);
  EXPECT_GT(probability(d, "reflection"), 0.7);
  for (const Finding& f : d.findings)
    EXPECT_TRUE(f.causes.front().cause == "reflection" || f.causes.front().probability < 0.5)
        << f.causes.front().cause << " at " << f.frequency_hz;
}

}  // namespace
}  // namespace lalometer
