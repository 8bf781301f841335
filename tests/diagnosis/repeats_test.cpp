// What repeats differ by is noise; what is seen once only is no feature of the loudspeaker.
#include "diagnosis/view/repeats.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <random>

#include "diagnosis/made_curves.h"
#include "diagnosis/view/meeting/crossing.h"
#include "diagnosis/view/view.h"

namespace lalometer {
namespace {

using namespace made;
using testing::Contains;
using testing::HasSubstr;

/// Flat but for a dip, under noise as a gate of 5 ms leaves it: alike within 200 Hz.
CaseTake noisy(double degrees, unsigned seed, double noise_db, double dip_db = 0.0) {
  std::mt19937 random(seed);
  std::normal_distribution<double> normal(0.0, noise_db);
  std::vector<double> knots(120);
  for (double& k : knots) k = normal(random);
  return at_angle(degrees, level_of(
                               [&](double f) {
                                 const double at = f / 200.0;
                                 const auto i = static_cast<std::size_t>(at);
                                 const double part = at - std::floor(at);
                                 return 86.0 + bell(f, 1000.0, dip_db, 0.15) +
                                        (1.0 - part) * knots[i] + part * knots[i + 1];
                               },
                               200.0));
}

CaseMaterial repeated(double noise_db, double dip_db = 0.0) {
  CaseMaterial m = two_ways();
  m.takes = {noisy(0.0, 1, noise_db, dip_db), noisy(0.0, 2, noise_db, dip_db),
             noisy(30.0, 3, noise_db, dip_db), noisy(-30.0, 4, noise_db, dip_db)};
  return m;
}

TEST(RepeatsTest, WhatTheyDifferByIsToldAsNoise) {
  const CaseMaterial loud = repeated(2.5);
  const Diagnosis d = diagnose(loud);
  EXPECT_GT(probability(d, "noise"), 0.8);
  ASSERT_NE(found(d, "noise"), nullptr);
  const double apart = *repeats_apart_db(view_of(loud));
  // The run from knot to knot keeps two thirds of a variance, a difference has twice; of some 24
  // knots, most of which count little.
  EXPECT_NEAR(apart, 2.5 * std::sqrt(2.0 * 2.0 / 3.0), 1.3);
  EXPECT_THAT(found(d, "noise")->evidence,
              Contains(HasSubstr(fmt::format("differ by {:.1f} dB", apart))));
  EXPECT_LT(probability(diagnose(repeated(0.15)), "noise"), 0.3) << "an ordinary repeat";
}

TEST(RepeatsTest, NoiseIsNothingOfTheLoudspeaker) {
  for (const double noise_db : {1.5, 2.5, 3.5})
    for (const FindingCause& c : diagnose(repeated(noise_db)).overall)
      if (c.cause != "noise") {
        EXPECT_LT(c.probability, 0.5) << c.cause;
      }
  for (const double noise_db : {1.5, 2.5, 3.5})
    for (const Finding& f : diagnose(repeated(noise_db)).findings)
      EXPECT_LT(f.causes.front().probability, 0.5) << f.causes.front().cause << " at " << noise_db;
}

TEST(RepeatsTest, ADipThatBothHaveIsOneAndADipOfOneIsNone) {
  const auto has = [](const CaseMaterial& m) {
    const CaseView v = view_of(m);
    return std::any_of(v.features.begin(), v.features.end(), [](const SeenFeature& f) {
      return f.feature.height_db < -2.0 && std::abs(f.at_hz / 1000.0 - 1.0) < 0.1;
    });
  };
  EXPECT_TRUE(has(repeated(0.1, -4.0)));
  CaseMaterial once = repeated(0.1, -4.0);
  once.takes[1] = noisy(0.0, 2, 0.1);
  EXPECT_FALSE(has(once));
}

TEST(RepeatsTest, AnotherPlaceOrStateIsNoRepeat) {
  const CaseTake a = noisy(0.0, 1, 0.1);
  const CaseTake again = noisy(0.0, 2, 0.1);
  EXPECT_TRUE(taken_again(a, again));
  EXPECT_FALSE(taken_again(a, a));
  CaseTake other = again;
  other.horizontal_deg = 5.0;
  EXPECT_FALSE(taken_again(a, other));
  other = again;
  other.sample = "B";
  EXPECT_FALSE(taken_again(a, other));
  other = again;
  other.flipped = "tweeter";
  EXPECT_FALSE(taken_again(a, other));
}

/// Two equally loud drivers so far out of phase, and their sum; without any phase in the lists.
CaseMaterial three_levels(double degrees, double scale_db) {
  CaseMaterial m = two_ways();
  const auto slope = [](double f, bool low) {
    const double x = std::pow(f / 2000.0, 4);
    return low ? 1.0 / (1.0 + x) : x / (1.0 + x);
  };
  const auto level = [](double p) { return 86.0 + 20.0 * std::log10(p + 1e-5); };
  m.takes = {
      at_angle(0.0, level_of([&](double f) {
                 return scale_db +
                        level(std::abs(slope(f, true) +
                                       slope(f, false) * std::polar(1.0, degrees * kPi / 180.0)));
               })),
      alone("woofer", level_of([&](double f) { return level(slope(f, true)); })),
      alone("tweeter", level_of([&](double f) { return level(slope(f, false)); }))};
  return m;
}

// The cosine rule on three levels.
TEST(RepeatsTest, ThreeLevelsTellThePhaseOfTwoDrivers) {
  for (const double degrees : {20.0, 60.0, 90.0, 120.0, 170.0}) {
    const auto seen = crossings(view_of(three_levels(degrees, 0.0)));
    ASSERT_EQ(seen.size(), 1U);
    ASSERT_TRUE(seen[0].between_deg.has_value());
    EXPECT_NEAR(*seen[0].between_deg, degrees, 5.0);
  }
  EXPECT_GT(probability(diagnose(three_levels(90.0, 0.0)), "crossover-phase"), 0.6);
  // A recording that nobody calibrated beside lists in pascals is no sum of those.
  EXPECT_FALSE(crossings(view_of(three_levels(90.0, -80.0)))[0].between_deg.has_value());
}

}  // namespace
}  // namespace lalometer
