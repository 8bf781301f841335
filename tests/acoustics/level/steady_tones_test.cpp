// Single tones one after the other: levels and phases of what a known bend adds, by the
// multiple-angle formulas; wires, clocks and starts that nobody tells; noise.
#include "acoustics/level/steady_tones.h"

#include <gmock/gmock.h>

#include <random>

#include "base/constants.h"

namespace lalometer {
namespace {

constexpr double kRate = 48000.0;
constexpr double kSecond = 0.04;
constexpr double kThird = 0.06;
constexpr double kPeak = 0.5;

double db(double ratio) {
  return 20.0 * std::log10(ratio);
}

/// x + a x^2 + b x^3, as a microphone 320 samples away hears it.
std::vector<double> bent(const std::vector<double>& played, std::size_t late, double noise) {
  std::mt19937 engine(7);
  std::normal_distribution<double> normal;
  std::vector<double> out(played.size() + late + 4000, 0.0);
  for (std::size_t i = 0; i < played.size(); ++i) {
    const double x = kPeak * played[i];
    out[i + late] = x + kSecond * x * x + kThird * x * x * x;
  }
  for (double& v : out) v += noise * normal(engine);
  return out;
}

SteadyTones some_tones(double per_octave = 3.0) {
  return *steady_tones(
      {.low_hz = 30.0, .high_hz = 4000.0, .tones_per_octave = per_octave, .sample_rate_hz = kRate});
}

TEST(SteadyTonesTest, OrdersOfAPolynomialByTheMultipleAngleFormulas) {
  const SteadyTones tones = some_tones();
  const auto signal = bent(steady_signal(tones), 320, 1e-6);
  const auto r =
      read_steady_tones({.measured = signal, .sample_rate_hz = kRate, .starts_at = 320.0}, tones);
  ASSERT_TRUE(r.has_value()) << r.error().text();
  // (1 + 3/4 b A^2) A, a A^2 / 2, b A^3 / 4.
  const double first = kPeak + 0.75 * kThird * std::pow(kPeak, 3);
  const double second = 0.5 * kSecond * kPeak * kPeak;
  const double third = 0.25 * kThird * std::pow(kPeak, 3);
  for (std::size_t i = 0; i < r->harmonics.axis.size(); ++i) {
    const Harmonics& h = r->harmonics;
    EXPECT_NEAR(db(std::abs(h.order(1).value[i]) / first), 0.0, 0.001);
    EXPECT_NEAR(db(std::abs(h.order(2).value[i]) / second), 0.0, 0.01);
    EXPECT_NEAR(db(std::abs(h.order(3).value[i]) / third), 0.0, 0.01);
    // sin^3 has -sin(3 phi) / 4, sin^2 has -cos(2 phi) / 2.
    EXPECT_NEAR(std::remainder(std::arg(h.order(3).value[i]) - kPi, 2.0 * kPi), 0.0, 0.02);
    EXPECT_NEAR(std::remainder(std::arg(h.order(2).value[i]) + 0.5 * kPi, 2.0 * kPi), 0.0, 0.02);
    EXPECT_FALSE(h.order(4).heard(i, h.axis[i])) << "nothing makes a fourth order";
    EXPECT_NEAR(h.thd[i].ratio, std::hypot(second, third) / first, 0.002 * second / first);
    EXPECT_NEAR(r->drift_db[i], 0.0, 0.001);
  }
}

TEST(SteadyTonesTest, ByTheLoopbackTheInterfacesGainAndDelayDoNotMatter) {
  const SteadyTones tones = some_tones();
  const auto played = steady_signal(tones);
  const auto signal = bent(played, 1000, 1e-6);
  std::vector<double> loopback(signal.size(), 0.0);
  for (std::size_t i = 0; i < played.size(); ++i) loopback[i + 860] = 0.2 * played[i];
  const auto r = read_steady_tones({.measured = signal,
                                    .loopback = loopback,
                                    .sample_rate_hz = kRate,
                                    .starts_at = 1000.0,
                                    .flight_s = 140.0 / kRate},
                                   tones, {}, 0.2);
  ASSERT_TRUE(r.has_value());
  const double first = kPeak + 0.75 * kThird * std::pow(kPeak, 3);
  for (const auto& v : r->harmonics.order(1).value) {
    EXPECT_NEAR(db(std::abs(v) / first), 0.0, 0.001);
    EXPECT_NEAR(std::arg(v), 0.0, 0.005) << "the flight is out";
  }
}

TEST(SteadyTonesTest, ARecorderOfItsOwnIsFoundWithItsClock) {
  const SteadyTones tones = some_tones();
  // 90 ppm fast, by playing tones that much lower at the same schedule.
  SteadyTones heard = tones;
  for (SteadyTone& t : heard.tones) t.frequency_hz /= 1.0 + 90e-6;
  const auto signal = bent(steady_signal(heard), 12345, 1e-5);
  const SteadyStart start = find_steady_tones(signal, kRate, tones);
  EXPECT_GT(start.likeness, 0.3);
  EXPECT_NEAR(start.at, 12345.0, 400.0);
  EXPECT_NEAR((start.recorder_rate - 1.0) * 1e6, 90.0, 3.0);
  const auto r = read_steady_tones({.measured = signal,
                                    .sample_rate_hz = kRate,
                                    .starts_at = start.at,
                                    .recorder_rate = start.recorder_rate},
                                   tones);
  ASSERT_TRUE(r.has_value());
  const double second = 0.5 * kSecond * kPeak * kPeak;
  for (std::size_t i = 0; i < r->harmonics.axis.size(); ++i)
    EXPECT_NEAR(db(std::abs(r->harmonics.order(2).value[i]) / second), 0.0, 0.1);
  std::vector<double> noise(signal.size());
  std::mt19937 engine(3);
  std::normal_distribution<double> normal;
  for (double& v : noise) v = normal(engine);
  EXPECT_LT(find_steady_tones(noise, kRate, tones).likeness, 0.1);
}

TEST(SteadyTonesTest, SixDecibelsOverTheFloorALevelHolds) {
  const SteadyTones tones = some_tones(6.0);
  const auto signal = bent(steady_signal(tones), 320, 2.5e-3);
  const auto r =
      read_steady_tones({.measured = signal, .sample_rate_hz = kRate, .starts_at = 320.0}, tones);
  ASSERT_TRUE(r.has_value());
  const double second = 0.5 * kSecond * kPeak * kPeak;
  int heard = 0;
  int good = 0;
  for (std::size_t i = 0; i < r->harmonics.axis.size(); ++i) {
    const Harmonics& h = r->harmonics;
    if (h.order(2).heard(i, h.axis[i])) {
      ++heard;
      good += std::abs(db(std::abs(h.order(2).value[i]) / second)) < 0.5 ? 1 : 0;
    }
    EXPECT_FALSE(h.order(5).heard(i, h.axis[i]) && h.order(6).heard(i, h.axis[i]))
        << "noise is no harmonic";
  }
  EXPECT_GE(good, heard - heard / 10);
  EXPECT_GT(heard, 20);
}

TEST(SteadyTonesTest, BelowTheMicrophonesOwnNothingIsHeardAndThatFallsWithTheLevel) {
  const SteadyTones tones = some_tones();
  const auto signal = bent(steady_signal(tones), 320, 1e-6);
  const SteadyRecording recording{.measured = signal, .sample_rate_hz = kRate, .starts_at = 320.0};
  // 1.5 % second order here; a microphone with 2 % at this level hides it, one with 2 % at ten
  // times the level does not.
  HarmonicsWish wish;
  wish.microphone_ratio_per_unit = 0.02 / kPeak;
  const auto hidden = read_steady_tones(recording, tones, {}, 1.0, wish);
  wish.microphone_ratio_per_unit = 0.02 / (10.0 * kPeak);
  const auto told = read_steady_tones(recording, tones, {}, 1.0, wish);
  EXPECT_FALSE(hidden->harmonics.order(2).heard(4, tones.tones[4].frequency_hz));
  EXPECT_TRUE(told->harmonics.order(2).heard(4, tones.tones[4].frequency_hz));
}

TEST(SteadyTonesTest, WhatCannotBePlayedOrReadSaysWhy) {
  EXPECT_FALSE(steady_tones({.low_hz = 100, .high_hz = 50}).has_value());
  EXPECT_FALSE(steady_tones({.tones_per_octave = 48.0}).has_value());
  EXPECT_FALSE(steady_schedule({100.0, 30000.0}, kRate).has_value());
  const SteadyTones tones = some_tones();
  const std::vector<double> cut(2000, 0.1);
  EXPECT_FALSE(read_steady_tones({.measured = cut, .sample_rate_hz = kRate}, tones).has_value());
}

}  // namespace
}  // namespace lalometer
