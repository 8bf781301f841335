// A second arrival in the responses, and what is found beside it.
#include <gtest/gtest.h>

#include <random>

#include "diagnosis/made_curves.h"
#include "diagnosis/view/sound/second_arrival.h"

namespace lalometer {
namespace {

using namespace made;

double echo_db(double f, double delay_s, double share) {
  return 20.0 * std::log10(std::abs(1.0 + share * std::polar(1.0, -2.0 * kPi * f * delay_s)));
}

std::vector<double> levels_of(const Response& curve) {
  std::vector<double> out;
  for (std::size_t i = 0; i < curve.size(); ++i) out.push_back(curve.level_db(i));
  return out;
}

TEST(SecondArrivalTest, TheOneThatWasPutInComesBackFromFewRowsToo) {
  for (const double rows : {12.0, 48.0})
    for (const double delay_s : {0.9e-3, 1.7e-3, 3.1e-3})
      for (const double share : {0.25, 0.6}) {
        const Response curve = level_of(
            [&](double f) { return 84.0 + bell(f, 900.0, 2.0, 0.8) + echo_db(f, delay_s, share); },
            200.0, rows);
        const auto found = second_arrival(curve.axis(), levels_of(curve), {210.0, 12000.0},
                                          0.86 * delay_s, 1.14 * delay_s);
        ASSERT_TRUE(found.has_value()) << rows << " " << delay_s << " " << share;
        EXPECT_NEAR(found->delay_s, delay_s, 0.01 * delay_s);
        EXPECT_NEAR(found->share, share, 0.06);
        const Response clean = without(*found, curve);
        for (std::size_t i = 0; i < clean.size(); ++i) {
          if (clean.axis()[i] < 400.0 || clean.axis()[i] > 10000.0) continue;
          EXPECT_NEAR(clean.level_db(i), 84.0 + bell(clean.axis()[i], 900.0, 2.0, 0.8), 0.7);
        }
      }
}

TEST(SecondArrivalTest, WhereThereIsNoneNothingIsTold) {
  const Response curve = level_of([](double f) { return 84.0 + bell(f, 1500.0, 4.0, 0.3); }, 200.0);
  EXPECT_FALSE(
      second_arrival(curve.axis(), levels_of(curve), {210.0, 12000.0}, 1.5e-3, 1.9e-3).has_value());
  EXPECT_FALSE(second_arrival(curve.axis(), levels_of(curve), {210.0, 240.0}, 1.5e-3, 1.9e-3))
      << "too few places";
}

/// A resonance of a Q of 30 beside the sound that passes it.
double wall_db(double f, double at) {
  const std::complex<double> s(0.0, f / at);
  return 20.0 * std::log10(std::abs(1.0 + 0.5 * (s / 30.0) / (s * s + s / 30.0 + 1.0)));
}

CaseMaterial with_echo(double delay_s, double share, bool wall) {
  CaseMaterial m = one_cone(0.05);
  for (const double a : {0.0, 15.0, -15.0, 30.0, -30.0})
    m.takes.push_back(at_angle(a, level_of([&](double f) {
                                 return 86.0 + echo_db(f, delay_s, share) +
                                        (wall ? wall_db(f, 520.0) : 0.0);
                               })));
  return m;
}

TEST(CombTest, BesideAFloorsReflectionAWallIsAsSureAsWithoutIt) {
  const Diagnosis both = diagnose(with_echo(1.6e-3, 0.6, true));
  EXPECT_GT(probability(both, "reflection"), 0.6);
  const double alone = probability(diagnose(with_echo(1.6e-3, 0.0, true)), "panel-resonance");
  EXPECT_GT(alone, 0.3);
  EXPECT_NEAR(probability(both, "panel-resonance"), alone, 0.1);
  const Diagnosis floor = diagnose(with_echo(1.6e-3, 0.6, false));
  EXPECT_GT(probability(floor, "reflection"), 0.6);
  EXPECT_LT(probability(floor, "panel-resonance"), 0.2);
}

// 50 mm of way more: nothing but the box's own edges is so near.
TEST(CombTest, WhatComesFromTheBoxsOwnEdgesIsNoReflection) {
  EXPECT_LT(probability(diagnose(with_echo(0.15e-3, 0.6, false)), "reflection"), 0.5);
}

// The rear of an open panel arrives later by itself, but no later than round the panel.
TEST(CombTest, WhatComesFromFartherThanRoundAnOpenPanelIsAReflection) {
  const auto said = [](double detour_m) {
    CaseMaterial m = with_echo(detour_m / 343.2, 0.4, false);
    m.subject.loading = "open-baffle";
    return probability(diagnose(m), "reflection");
  };
  EXPECT_GT(said(0.9), 0.6);
  EXPECT_LT(said(0.35), 0.1) << "400 mm of panel";
}

// A wall of half a decibel, less than each take's rows scatter, is there at every angle.
TEST(CommonTest, WhatAllAnglesShareStandsOutOfTheirNoise) {
  const auto diagnosed = [](double share) {
    CaseMaterial m = one_cone(0.05);
    std::mt19937 random(7);
    std::normal_distribution<double> noise(0.0, 0.2);
    for (int a = -60; a <= 60; a += 5)
      m.takes.push_back(at_angle(
          a, level_of([&](double f) { return 86.0 + share * wall_db(f, 520.0) + noise(random); })));
    return diagnose(m);
  };
  EXPECT_GT(probability(diagnosed(0.6), "panel-resonance"), 0.5);
  EXPECT_LT(probability(diagnosed(0.0), "panel-resonance"), 0.2);
}

// A subwoofer's list ends where it falls by 12 dB an octave: its end is no dip, nor what its few
// rows scatter there.
TEST(CommonTest, TheEndOfAListIsNoWall) {
  for (unsigned seed = 1; seed <= 12; ++seed) {
    std::mt19937 random(seed);
    std::normal_distribution<double> noise(0.0, 0.1);
    CaseMaterial m = one_cone(0.12);
    for (const double a : {0.0, 30.0, 60.0})
      m.takes.push_back(
          at_angle(a, curve(Quantity::kPressure, 15.0, 360.0, 12.0, false, [&](double f) {
                     const std::complex<double> low(0.0, f / 38.0);
                     const std::complex<double> high(0.0, f / 180.0);
                     return std::pow(10.0, noise(random) / 20.0) * low * low /
                            (low * low + 1.25 * low + 1.0) / (high * high + 1.41 * high + 1.0);
                   })));
    EXPECT_LT(probability(diagnose(m), "panel-resonance"), 0.1) << seed;
  }
}

/// Bells that stand between the teeth, so that dips and peaks do not lie evenly.
double bells_db(double f) {
  return bell(f, 520.0, -2.0, 0.12) + bell(f, 1210.0, 2.2, 0.1) + bell(f, 2050.0, -2.4, 0.1) +
         bell(f, 3300.0, 2.0, 0.09);
}

TEST(SoughtCombTest, ACopyAmongOtherDipsIsFoundByTheRows) {
  const auto said = [](double share) {
    CaseMaterial m = one_cone(0.05);
    for (const double a : {0.0, 15.0, -15.0, 30.0, -30.0})
      m.takes.push_back(at_angle(
          a, level_of([&](double f) { return 86.0 + bells_db(f) + echo_db(f, 2.1e-3, share); },
                      150.0)));
    return probability(diagnose(m), "reflection");
  };
  EXPECT_GT(said(0.2), 0.7);
  EXPECT_LT(said(0.0), 0.1) << "bells alone are no copy";
}

TEST(SoughtCombTest, OneDeepDipIsNoCopy) {
  CaseMaterial m = one_cone(0.05);
  for (const double a : {0.0, 15.0, -15.0, 30.0, -30.0})
    m.takes.push_back(
        at_angle(a, level_of([](double f) { return 86.0 + bell(f, 650.0, -5.0, 0.25); }, 150.0)));
  EXPECT_LT(probability(diagnose(m), "reflection"), 0.1);
}

TEST(SecondArrivalTest, WhatItExplainsOfARangeIsToldForThatRange) {
  // In the treble there is none of it.
  const Response curve = level_of(
      [](double f) {
        return 84.0 + (f < 1600.0 ? echo_db(f, 1.7e-3, 0.4) : bell(f, 4e3, 2.0, 0.2));
      },
      200.0);
  const SecondArrival copy{.delay_s = 1.7e-3, .share = 0.4};
  const auto over = [&](double low, double high) {
    return explained_by(copy, curve.axis(), levels_of(curve), {low, high});
  };
  EXPECT_GT(over(210.0, 1500.0).value_or(0.0), 0.9);
  EXPECT_LT(over(1700.0, 9000.0).value_or(1.0), 0.0);
  EXPECT_FALSE(over(210.0, 230.0).has_value()) << "too few places";
}

}  // namespace
}  // namespace lalometer
