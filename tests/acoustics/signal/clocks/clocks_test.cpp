#include <gtest/gtest.h>

#include "acoustics/signal/clocks/clock_drift.h"
#include "acoustics/signal/clocks/sweep_search.h"
#include "support/two_clocks.h"

namespace lalometer {
namespace {

using test::Recorder;
using test::Section;

const std::vector<Section> kTwoWay = {{true, 60.0}, {false, 18000.0}};
const std::vector<Section> kWoofer = {{true, 45.0}, {false, 3000.0}, {false, 3000.0}};
const std::vector<Section> kTweeter = {{true, 900.0}, {true, 900.0}};

SweepSpec spec_at(double rate, double duration_s = 1.0) {
  return *SweepSpec::make({20.0, 20000.0, duration_s, rate});
}

/// Three sweeps, 1.5 s from start to start.
std::vector<double> three_sweeps(const std::vector<Section>& speaker, const Recorder& r) {
  const auto one = test::sweep_of(20.0, 20000.0, 1.0);
  return test::recorded(
      [&](double t) { return 0.3 * (one(t - 0.5) + one(t - 2.0) + one(t - 3.5)); }, 4.8, speaker,
      r);
}

std::vector<double> starts_of(const std::vector<HeardSweep>& found) {
  std::vector<double> starts;
  for (const HeardSweep& one : found) starts.push_back(one.at_sample);
  return starts;
}

TEST(SweepSearch, FindsEachSweepAmongTalkAndADoor) {
  auto x = three_sweeps(kTwoWay, {.noise = 0.0005});
  std::mt19937_64 engine(9);
  std::normal_distribution<double> normal;
  // Talk: noise of 100 to 3 kHz in syllables; a door: a thump that rings at 60 Hz.
  double low = 0.0;
  for (std::size_t i = 0; i < 20000; ++i) {
    low += 0.2 * (normal(engine) - low);
    x[74500 + i] +=
        0.2 * low * std::pow(std::sin(2.0 * kPi * 4.0 * static_cast<double>(i) / 48000.0), 2);
  }
  for (std::size_t i = 0; i < 20000; ++i)
    x[147000 + i] += 0.4 * std::exp(-static_cast<double>(i) / 6000.0) *
                     std::sin(2.0 * kPi * 60.0 * static_cast<double>(i) / 48000.0);
  const auto found = find_sweeps(x, spec_at(48000.0));
  ASSERT_EQ(found.size(), 3U);
  for (std::size_t i = 0; i < 3; ++i)
    EXPECT_NEAR(found[i].at_sample / 48000.0, 0.5123 + 1.5 * static_cast<double>(i), 0.003);
}

TEST(SweepSearch, TakesNoChirpForASweep) {
  for (const double duration_s : {0.5, 1.0, 3.0}) {
    const auto sweep = test::sweep_of(20.0, 20000.0, duration_s);
    const auto chirps = test::chirps_around(duration_s);
    const auto x =
        test::recorded([&](double t) { return 0.3 * (sweep(t - 1.7) + chirps(t - 1.7)); },
                       5.0 + duration_s, kTwoWay, {});
    const auto found = find_sweeps(x, spec_at(48000.0, duration_s));
    ASSERT_EQ(found.size(), 1U) << duration_s;
    EXPECT_NEAR(found[0].at_sample / 48000.0, 1.7123, 0.003);
  }
}

TEST(SweepSearch, FindsNoneInNoise) {
  std::mt19937_64 engine(10);
  std::normal_distribution<double> normal;
  std::vector<double> x(400000);
  for (double& v : x) v = 0.1 * normal(engine);
  EXPECT_TRUE(find_sweeps(x, spec_at(48000.0)).empty());
}

TEST(ClockDriftTest, FollowsFromRepeatsWithinAFifthOfAMillionth) {
  struct Case {
    double rate, ppm;
    const std::vector<Section>* speaker;
  };
  for (const Case& c : {Case{48000.0, -300.0, &kTwoWay}, Case{44100.0, 12.0, &kWoofer},
                        Case{44100.0, 300.0, &kTweeter}}) {
    const auto x = three_sweeps(
        *c.speaker, {.rate_hz = c.rate, .drift_ppm = c.ppm, .noise = 0.0005, .seed = 4});
    const auto starts = starts_of(find_sweeps(x, spec_at(c.rate)));
    ASSERT_EQ(starts.size(), 3U);
    const auto drift = drift_of_repeats(x, spec_at(c.rate), starts, 1.5);
    ASSERT_TRUE(drift);
    EXPECT_NEAR(drift->ppm, c.ppm, drift->uncertainty_ppm) << c.rate;
    EXPECT_LT(drift->uncertainty_ppm, 0.5);
    EXPECT_FALSE(drift->slip_after);
  }
}

TEST(ClockDriftTest, OneSweepTellsItWithinItsOwnUncertainty) {
  struct Case {
    double ppm;
    const std::vector<Section>* speaker;
  };
  for (const Case& c : {Case{-300.0, &kTwoWay}, Case{0.0, &kWoofer}, Case{120.0, &kTweeter}}) {
    const auto one = test::sweep_of(20.0, 20000.0, 2.0);
    const auto x = test::recorded([&](double t) { return 0.3 * one(t - 0.5); }, 3.0, *c.speaker,
                                  {.drift_ppm = c.ppm, .noise = 0.0005});
    const auto drift = drift_of_one(x, spec_at(48000.0, 2.0), 0.5123 * 48000.0);
    ASSERT_TRUE(drift);
    EXPECT_NEAR(drift->ppm, c.ppm, drift->uncertainty_ppm);
    EXPECT_LT(drift->uncertainty_ppm, 150.0);
  }
}

// A crossover turns the phase and a driver stands back: neither is a clock's doing. A subwoofer
// tells nothing.
TEST(ClockDriftTest, ACrossoverOrAReflectionIsNoDrift) {
  const auto one = test::sweep_of(20.0, 20000.0, 2.0);
  const auto part = [&](const std::vector<Section>& speaker, double later_s) {
    return test::recorded([&](double t) { return 0.3 * one(t - 0.3 - later_s); }, 2.8, speaker,
                          {.noise = 0.0003});
  };
  for (const double corner : {1300.0, 3500.0}) {
    auto x = part({{true, 50.0}, {false, corner}, {false, corner}}, 1e-4);
    const auto high = part({{true, corner}, {true, corner}, {false, 19000.0}}, 0.0);
    for (std::size_t i = 0; i < x.size(); ++i) x[i] += high[i];
    for (std::size_t i = x.size(); i-- > 100;) x[i] += 0.4 * x[i - 100];  // 2.1 ms later
    const auto drift = drift_of_one(x, spec_at(48000.0, 2.0), 0.3123 * 48000.0);
    ASSERT_TRUE(drift);
    EXPECT_LT(std::abs(drift->ppm), drift->uncertainty_ppm) << corner;
  }
  EXPECT_FALSE(drift_of_one(part({{true, 30.0}, {false, 120.0}, {false, 120.0}}, 0.0),
                            spec_at(48000.0, 2.0), 0.3123 * 48000.0));
}

TEST(ClockDriftTest, NamesLostAndDoubledSamplesBetweenRepeats) {
  const auto whole = three_sweeps(kTwoWay, {.drift_ppm = 80.0, .noise = 0.0003});
  for (const int lost : {1, 3, 20, -2}) {
    auto x = whole;
    const auto at = x.begin() + 155000;  // in the silence before the third
    if (lost > 0)
      x.erase(at, at + lost);
    else
      x.insert(at, static_cast<std::size_t>(-lost), *at);
    const auto starts = starts_of(find_sweeps(x, spec_at(48000.0)));
    const auto drift = drift_of_repeats(x, spec_at(48000.0), starts, 1.5);
    ASSERT_TRUE(drift && drift->slip_after);
    EXPECT_NEAR(std::abs(drift->slip_samples), std::abs(lost), 0.1);
    // Of three sweeps either step may be the usual one: the drift is told no better.
    EXPECT_FALSE(drift->slip_placed);
    EXPECT_NEAR(drift->ppm, 80.0, drift->uncertainty_ppm);
  }
}

TEST(ClockDriftTest, SweepsAtOtherTimesAreNoRepeats) {
  const auto x = three_sweeps(kTwoWay, {});
  const auto starts = starts_of(find_sweeps(x, spec_at(48000.0)));
  EXPECT_FALSE(drift_of_repeats(x, spec_at(48000.0), starts, 1.05));
  EXPECT_FALSE(drift_of_repeats(x, spec_at(48000.0), {&starts[0], 1}, 1.5));
}

// A subwoofer's pulse is broad, and noise moves it by more than half a sample: no slip.
TEST(ClockDriftTest, ASubwoofersNoiseIsNoSlip) {
  for (const std::uint64_t seed : {1U, 2U, 3U}) {
    const auto x = three_sweeps({{true, 30.0}, {false, 110.0}, {false, 110.0}},
                                {.drift_ppm = -60.0, .noise = 0.01, .seed = seed});
    const auto starts = starts_of(find_sweeps(x, spec_at(48000.0)));
    ASSERT_EQ(starts.size(), 3U);
    const auto drift = drift_of_repeats(x, spec_at(48000.0), starts, 1.5);
    ASSERT_TRUE(drift);
    EXPECT_FALSE(drift->slip_after) << drift->slip_samples;
    EXPECT_NEAR(drift->ppm, -60.0, drift->uncertainty_ppm);
  }
}

TEST(DelayBetween, IsTrueToAHundredthOfASample) {
  for (const double delay : {-7.35, 0.0, 0.25, 12.6}) {
    std::vector<double> a(400), b(400);
    for (std::size_t i = 0; i < a.size(); ++i) {
      const double t = static_cast<double>(i) - 200.0;
      a[i] = std::exp(-t * t / 50.0);
      b[i] = std::exp(-(t - delay) * (t - delay) / 50.0);
    }
    EXPECT_NEAR(delay_between(a, b).samples, delay, 0.01);
  }
}

}  // namespace
}  // namespace lalometer
