#include "acoustics/level/level_series.h"

#include <gtest/gtest.h>

#include <cmath>
#include <cstdio>

#include "acoustics/signal/checks/noise_floor.h"
#include "acoustics/signal/deconvolve.h"
#include "support/coverage.h"
#include "support/support.h"

namespace lalometer {
namespace {

/// A step as harmonics_of() would give it: levels by function of frequency.
template <class Order>
Harmonics step_of(Order order) {
  Harmonics h{.axis = FrequencyAxis::logarithmic(50, 10000, 24), .orders = {}, .thd = {}};
  for (int n = 1; n <= kHighestOrder; ++n) {
    Harmonic one{
        .order = n, .value = {}, .floor = {}, .spread = {}, .at_most = {}, .valid = {50, 10000}};
    for (const double f : h.axis.hz()) {
      one.value.emplace_back(order(n, f));
      one.floor.push_back(1e-6);
      one.spread.push_back(1e-3);
      one.at_most.push_back(order(n, f));
    }
    h.orders.push_back(one);
  }
  for (std::size_t i = 0; i < h.axis.size(); ++i) {
    double sum = 0.0;
    for (int n = 2; n <= kHighestOrder; ++n) sum += std::norm(h.order(n).value[i]);
    const double ratio = std::sqrt(sum) / std::abs(h.order(1).value[i]);
    h.thd.push_back(
        {.ratio = ratio, .at_most = ratio, .spread = 0.0, .known = true, .whole = true});
  }
  return h;
}

/// x + b x^2 + c x^3 at a drive: order 2 grows with its square, order 3 with its cube.
Harmonics polynomial_step(double drive) {
  return step_of([=](int n, double) {
    return n == 1   ? drive
           : n == 2 ? 1e-3 * drive * drive
           : n == 3 ? 1e-4 * std::pow(drive, 3)
                    : 0.0;
  });
}

TEST(LevelSeriesTest, APolynomialGrowsByItsOrderAndDoesNotCompress) {
  const std::vector<double> drives = {1.0, 2.0, 4.0, 8.0};
  std::vector<Harmonics> steps;
  for (const double d : drives) steps.push_back(polynomial_step(d));
  std::vector<LevelStep> series;
  for (std::size_t k = 0; k < steps.size(); ++k) series.push_back({drives[k], &steps[k]});
  const auto growth = growth_of(series);
  ASSERT_FALSE(growth.empty());
  for (const Growth& g : growth) {
    EXPECT_NEAR(g.db_per_db, g.order - 1.0, 1e-6) << g.order << " at " << g.frequency_hz;
    EXPECT_FALSE(g.jump_at);
  }
  for (const double lost : compression_of(series, 3).level_db) EXPECT_NEAR(lost, 0.0, 1e-9);
  // 3 % of THD: 1e-3 d and 1e-4 d^2 together; between 8 V (1.02 %) and nothing louder.
  for (const CleanLevel& c : clean_levels(series, 3.0)) {
    EXPECT_TRUE(c.at_least);
    EXPECT_NEAR(c.level, 8.0, 1e-6);
  }
  EXPECT_EQ(last_good_step(series, judged_band(series)), 3U);
}

TEST(LevelSeriesTest, ACleanLevelLiesBetweenTwoSteps) {
  std::vector<Harmonics> steps;
  const std::vector<double> drives = {1.0, 2.0};
  // 1 % and 4 %: 3 % at a share of ln 3 / ln 4 of the way, in dB.
  steps.push_back(step_of([](int n, double) { return n == 1 ? 1.0 : n == 3 ? 0.01 : 0.0; }));
  steps.push_back(step_of([](int n, double) { return n == 1 ? 2.0 : n == 3 ? 0.08 : 0.0; }));
  const std::vector<LevelStep> series = {{1.0, &steps[0]}, {2.0, &steps[1]}};
  const auto clean = clean_levels(series, 3.0);
  ASSERT_FALSE(clean.empty());
  for (const CleanLevel& c : clean) {
    EXPECT_FALSE(c.at_least);
    EXPECT_NEAR(c.level, std::exp2(std::log(3.0) / std::log(4.0)), 1e-9);
  }
  EXPECT_EQ(last_good_step(series, judged_band(series)), 0U);
}

TEST(LevelSeriesTest, WhatIsLostIsCompression) {
  const Harmonics low = polynomial_step(1.0);
  // 10 V that play as loud as 8.
  const Harmonics high = step_of([](int n, double) { return n == 1 ? 8.0 : 0.0; });
  const std::vector<LevelStep> series = {{1.0, &low}, {10.0, &high}};
  const Compression c = compression_of(series, 1);
  for (std::size_t i = 0; i < c.level_db.size(); ++i) {
    EXPECT_NEAR(c.level_db[i], 20.0 * std::log10(0.8), 1e-9);
    EXPECT_NEAR(c.half_width[i], 8.686 * 1.96 * std::sqrt(2.0) * 1e-3, 1e-4);
  }
  EXPECT_EQ(last_good_step(series, judged_band(series)), 0U) << "1.9 dB are lost";
}

/// A sweep that comes back weaker, in noise: what a cube does to the fundamental, 1 - 3/4 c a^2.
Harmonics swept(double gain, double noise, std::uint64_t seed) {
  const SweepSpec spec = *SweepSpec::make_synchronised({20.0, 20000.0, 0.8, 48000.0});
  constexpr std::size_t kLead = 12000;
  std::vector<double> reference(kLead, 0.0);
  for (const double v : exponential_sweep(spec)) reference.push_back(v);
  reference.resize(reference.size() + 12000, 0.0);
  std::vector<double> heard = reference;
  test::Normals normal(seed);
  for (double& v : heard) v = gain * v + noise * normal();
  const ImpulseResponse h =
      deconvolve(heard, reference, 48000.0, {20.0, 20000.0}, spec.rate_s() * std::log(11.0) + 0.05);
  const auto density =
      noise_density(std::span(heard).first(kLead - 500), reference, 48000.0, {20.0, 20000.0});
  return *harmonics_of(h, 0.0, spec, *density);
}

TEST(LevelSeriesTest, TheIntervalsOfWhatIsLostHoldTheTruth) {
  int inside = 0;
  int cases = 0;
  double worst = 0.0;
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    const double lost = 0.98 - 0.003 * static_cast<double>(seed);
    const Harmonics low = swept(1.0, 2e-3, 2 * seed);
    const Harmonics high = swept(4.0 * lost, 2e-3, 2 * seed + 1);
    const Compression c = compression_of({{1.0, &low}, {4.0, &high}}, 1);
    for (const double f : {100.0, 300.0, 1000.0, 3000.0, 9000.0}) {
      const std::size_t i = low.axis.bracket(f);
      const double off = c.level_db[i] - 20.0 * std::log10(lost);
      inside += std::abs(off) <= c.half_width[i] ? 1 : 0;
      worst = std::max(worst, std::abs(off));
      ++cases;
    }
  }
  std::printf("compression: %.1f %% of %d inside, worst %.3f dB\n", 100.0 * inside / cases, cases,
              worst);
  const auto [least, most] = test::coverage_limits(cases);
  EXPECT_GE(inside, least);
  EXPECT_LE(inside, most);
}

TEST(LevelSeriesTest, ValuesPerVoltAreBroughtToTheirDriveFirst) {
  // Held against a loopback the same loudspeaker reads alike at every drive.
  const Harmonics low = step_of([](int n, double) { return n == 1 ? 1.0 : 0.0; });
  const Harmonics high = step_of([](int n, double) { return n == 1 ? 0.9 : 0.0; });
  const std::vector<LevelStep> series = {{1.0, &low, 1.0}, {10.0, &high, 10.0}};
  for (const double lost : compression_of(series, 1).level_db)
    EXPECT_NEAR(lost, 20.0 * std::log10(0.9), 1e-9);
}

TEST(LevelSeriesTest, SomethingThatTouchesJumps) {
  const std::vector<double> drives = {1.0, 2.0, 4.0};
  std::vector<Harmonics> steps;
  for (const double d : drives)
    steps.push_back(step_of([d](int n, double f) {
      const bool rub = d > 3.0 && f > 200.0 && f < 400.0;
      return n == 1 ? d : n == 2 ? 1e-3 * d * d * (rub ? 10.0 : 1.0) : 0.0;
    }));
  std::vector<LevelStep> series;
  for (std::size_t k = 0; k < steps.size(); ++k) series.push_back({drives[k], &steps[k]});
  for (const Growth& g : growth_of(series)) {
    const bool rub = g.frequency_hz > 240.0 && g.frequency_hz < 330.0;
    const bool edge = !rub && g.frequency_hz > 150.0 && g.frequency_hz < 450.0;
    if (edge) continue;
    EXPECT_EQ(g.jump_at.has_value(), rub) << g.frequency_hz;
    EXPECT_EQ(g.jump_at.value_or(2), 2U);
  }
  EXPECT_EQ(last_good_step(series, judged_band(series)), 1U);
}

TEST(LevelSeriesTest, EachIsJudgedWhereItPlays) {
  // A tweeter: below 1.5 kHz it falls by 18 dB an octave, and what is left there is distorted.
  const auto tweeter = [](double drive) {
    return step_of([drive](int n, double f) {
      const double plays = drive * std::min(1.0, std::pow(f / 1500.0, 3));
      return n == 1 ? plays : n == 3 ? plays * (f < 900.0 ? 0.2 : 0.002) : 0.0;
    });
  };
  // A subwoofer: nothing above 120 Hz, 2 % at 60 Hz.
  const auto subwoofer = [](double drive) {
    return step_of([drive](int n, double f) {
      const double plays = drive * std::min(1.0, std::pow(120.0 / f, 4));
      return n == 1 ? plays : n == 3 ? plays * (f > 300.0 ? 0.3 : 0.005 * drive) : 0.0;
    });
  };
  for (const bool sub : {false, true}) {
    const std::vector<Harmonics> steps = {sub ? subwoofer(1.0) : tweeter(1.0),
                                          sub ? subwoofer(4.0) : tweeter(4.0),
                                          sub ? subwoofer(8.0) : tweeter(8.0)};
    const std::vector<LevelStep> series = {{1.0, &steps[0]}, {4.0, &steps[1]}, {8.0, &steps[2]}};
    const ValidRange judged = judged_band(series);
    // 10 dB down.
    EXPECT_NEAR(sub ? judged.high_hz : judged.low_hz, sub ? 160.0 : 1022.0, sub ? 6.0 : 40.0);
    if (sub) {
      EXPECT_LT(judged.low_hz, 60.0);
    }
    EXPECT_EQ(last_good_step(series, judged), sub ? 1U : 2U) << "8 V: 4 % of the subwoofer's bass";
  }
}

// Common practice, no source: 102 dB at 1 m give 93 dB at 4 m for a pair.
TEST(LevelSeriesTest, LevelWhereSomebodyListens) {
  EXPECT_NEAR(level_at(102.0, 4.0, 2), 93.0, 0.1);
  EXPECT_NEAR(level_at(90.0, 2.0, 1), 84.0, 0.05);
}

}  // namespace
}  // namespace lalometer
