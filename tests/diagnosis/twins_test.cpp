// Two equal woofers, of which drawings name one and microphones meet one; and which impedances are
// the box's.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "diagnosis/made_curves.h"
#include "diagnosis/view/bass/flow.h"
#include "diagnosis/view/drivers.h"
#include "diagnosis/view/meeting/lobe.h"

namespace lalometer {
namespace {

using namespace made;
using Complex = std::complex<double>;

constexpr double kC = kSpeedOfSound20_m_s;

/// A tweeter between two woofers; the crossover names the lower one.
CaseMaterial between_two() {
  CaseMaterial m = two_ways();
  m.subject.drivers = {{.id = "lower", .role = "woofer", .y_m = -0.11, .radius_m = 0.06},
                       {.id = "upper", .role = "woofer", .y_m = 0.11, .radius_m = 0.06},
                       {.id = "tweeter", .role = "tweeter", .radius_m = 0.012, .high = true}};
  m.subject.crossovers = {{"lower", "tweeter", 1800.0}};
  return m;
}

TEST(TwinsTest, AWooferThatNoCrossoverNamesPlaysAsItsTwinDoes) {
  const CaseSubject s = between_two().subject;
  EXPECT_EQ(alike(s, "lower").size(), 2U);
  EXPECT_EQ(alike(s, "tweeter").size(), 1U);
  EXPECT_EQ(leading_driver(s, 300.0), "lower");
  EXPECT_EQ(leading_driver(s, 8000.0), "tweeter") << "not the twin, which no crossover stops";
  EXPECT_TRUE(plays_low(s, "upper"));
  EXPECT_FALSE(plays_low(s, "tweeter"));
  EXPECT_TRUE(plays_low(s, "")) << "nobody told which";
  // A half at the crossover; twins have it together.
  EXPECT_NEAR(plays_share(s, s.drivers[2], 1800.0), 0.5, 1e-9);
  EXPECT_NEAR(plays_share(s, s.drivers[0], 1800.0) + plays_share(s, s.drivers[1], 1800.0), 0.5,
              1e-9);
  EXPECT_GT(plays_share(s, s.drivers[2], 8000.0), 0.99);
}

TEST(TwinsTest, AMidrangeAndAnUnlikeOneAreNone) {
  CaseSubject s = between_two().subject;
  s.drivers[1].radius_m = 0.08;
  EXPECT_EQ(alike(s, "lower").size(), 1U);
  s.drivers[1].radius_m = 0.06;
  s.crossovers.insert(s.crossovers.begin(), {"upper", "lower", 300.0});
  EXPECT_EQ(alike(s, "lower").size(), 1U) << "the crossovers part them";
  EXPECT_FALSE(plays_low(s, "lower"));
  EXPECT_TRUE(plays_low(s, "upper"));
}

// A tweeter's impedance in free air is not what a woofer's hump is compared with.
TEST(TwinsTest, ATweetersImpedanceTellsNothingOfTheBox) {
  CaseMaterial m = between_two();
  const auto hump = [](double at_hz, double q, double re) {
    return curve(Quantity::kImpedance, 10.0, 6000.0, 96.0, true, [=](double f) {
      const Complex s(0.0, f / at_hz);
      return Complex(re, 0.0) + 6.0 * re * (s / q) / (s * s + s / q + 1.0) +
             Complex(0.0, 2.0 * kPi * f * 2e-4);
    });
  };
  m.takes.push_back({.kind = CaseTake::Kind::kImpedance,
                     .name = "dome",
                     .driver = "tweeter",
                     .condition = "free-air",
                     .curve = hump(900.0, 2.0, 5.0)});
  m.takes.push_back({.kind = CaseTake::Kind::kImpedance,
                     .name = "box",
                     .condition = "in-box",
                     .curve = hump(70.0, 4.0, 3.0)});
  const CaseView v = view_of(m);
  EXPECT_EQ(v.free_impedance, nullptr);
  ASSERT_NE(v.box_impedance, nullptr);
  EXPECT_EQ(v.box_impedance->name, "box");
  EXPECT_LT(probability(diagnose(m), "box-leak"), 0.5);
}

/// Near fields of a tight vented box of Q 8 with two woofers, one of which was taken; by the box's
/// circuit. What each microphone hears of the other part is added as a point in a wall has it.
/// @param heard  how much of that; 0: none
CaseMaterial near_one_of_two(double heard, bool placed) {
  CaseMaterial m = between_two();
  m.subject.loading = "vented";
  m.subject.ports = {{"port", PortGeometry{.diameter_m = 0.06, .length_m = 0.13}, 0.03, 1, true}};
  m.subject.volume_m3 = 0.02;
  const double cone_m = 0.06;
  const double port_m = 0.03;
  const double apart_m = 0.12;
  const auto flows = [](double f) {
    const double fb = 45.0;
    const Complex s(0.0, f / fb);
    const Complex zp = s + 0.01;
    const Complex total = 1.0 / (s + 1.0 / zp + 1.0 / 8.0);
    const Complex cones = s * s / (s * s + 1.2 * s + 1.0 + total) / s;
    return std::pair(cones, -cones * total / zp);
  };
  const auto take = [&](const char* source, bool of_port) {
    const Response near = curve(Quantity::kPressure, 12.0, 500.0, 48.0, true, [&](double f) {
      const auto [cones, port] = flows(f);
      const Complex own = of_port ? port : 0.5 * cones;
      const Complex other = of_port ? cones : port;
      const double radius = of_port ? port_m : cone_m;
      return own * near_impedance(radius, 0.0, f, kC) +
             heard * other * Complex(0.0, 2.0 * kPi * f) * kAirDensity_kg_m3 /
                 (2.0 * kPi * apart_m) * std::polar(1.0, -2.0 * kPi * f / kC * apart_m);
    });
    return CaseTake{
        .kind = CaseTake::Kind::kNearField, .name = source, .source = source, .curve = near};
  };
  if (placed)
    m.subject.places = {{.id = "lower", .y_m = 0.0, .placed = true},
                        {.id = "port", .y_m = apart_m, .placed = true}};
  m.takes = {take("lower", false), take("port", true)};
  return m;
}

TEST(TwinsTest, AConeThatWasTakenStandsForBoth) {
  const auto flow = bass_flow(view_of(near_one_of_two(0.0, false)));
  ASSERT_TRUE(flow && flow->total_q);
  EXPECT_NEAR(*flow->total_q, 8.0, 0.8);
  CaseMaterial alone = near_one_of_two(0.0, false);
  alone.subject.drivers.erase(alone.subject.drivers.begin() + 1);
  EXPECT_NEAR(*bass_flow(view_of(alone))->total_q, 16.0, 1.6) << "half the air is missing";
}

// The circuit's ratio of flows has a form of its own; what is added to it by the other part is seen
// and taken out where the drawing tells how far apart they are.
TEST(TwinsTest, WhatTheMicrophonesHearOfEachOtherIsTakenOut) {
  for (const double heard : {0.4, 0.9}) {
    const auto with_it = bass_flow(view_of(near_one_of_two(heard, false)));
    ASSERT_TRUE(with_it);
    EXPECT_LT(with_it->tuning_hz, 42.0) << "by what the cone's microphone hears of the port";
    const auto without = bass_flow(view_of(near_one_of_two(heard, true)));
    ASSERT_TRUE(without && without->total_q);
    EXPECT_NEAR(without->tuning_hz, 45.0, 0.7);
    EXPECT_NEAR(*without->total_q, 8.0, 0.8);
  }
}

/// Two woofers and a tweeter as points in phase on the axis, the tweeter `degrees` late.
CaseMaterial three_points(double degrees) {
  CaseMaterial m = between_two();
  for (CaseDriver& d : m.subject.drivers) d.radius_m = d.high ? 0.001 : 0.0011;
  for (const double a : {0.0, -30.0, -20.0, -10.0, 10.0, 20.0, 30.0}) {
    m.takes.push_back(at_angle(0.0, level_of([&](double f) {
                                 const double rad = a * kPi / 180.0;
                                 const double k = 2.0 * kPi * f / kC;
                                 const auto from = [&](double y) {
                                   const double way = std::hypot(std::sin(rad) - y, std::cos(rad));
                                   const double ahead = std::hypot(y, 1.0);
                                   return std::polar(1.0, -k * (way - ahead));
                                 };
                                 const Complex sum =
                                     0.5 * (from(0.11) + from(-0.11)) +
                                     std::polar(1.0, degrees * kPi / 180.0) * from(0.0);
                                 return 84.0 + 20.0 * std::log10(std::abs(sum) + 1e-4);
                               })));
    m.takes.back().vertical_deg = a;
  }
  return m;
}

TEST(TwinsTest, TheLobeOfATweeterBetweenTwoWoofersIsTheirs) {
  for (const double phase : {0.0, 90.0, 165.0}) {
    const CaseMaterial m = three_points(phase);
    const auto seen = lobe_of(view_of(m), m.subject.crossovers[0], 1800.0);
    ASSERT_TRUE(seen.has_value());
    EXPECT_NEAR(std::abs(seen->between_deg), phase, 15.0);
    EXPECT_LT(seen->misfit_db, 1.0);
  }
}

}  // namespace
}  // namespace lalometer
