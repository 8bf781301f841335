// What was put into a multitone beside its tones is known: products and noise of given power.
#include "acoustics/level/multitone_reading.h"

#include <gtest/gtest.h>

#include <cmath>
#include <limits>

#include "acoustics/level/multitone.h"
#include "support/support.h"

namespace lalometer {
namespace {

constexpr double kRate = 48000.0;

struct Played {
  std::vector<double> tones_hz;
  std::vector<double> products_hz = {};  ///< beside or between the tones
  double tone = 0.1;                     ///< amplitudes
  double product = 1e-4;
  double noise = 0.0;
  double ppm = 0.0;
  double seconds = 4.0;
  double silence_s = 0.0;
};

std::vector<double> signal_of(const Played& p) {
  const auto lead = static_cast<std::size_t>(p.silence_s * kRate);
  const auto n = static_cast<std::size_t>(p.seconds * kRate);
  std::vector<double> x(2 * lead + n, 0.0);
  test::Normals normal(7);
  for (std::size_t k = 0; k < n; ++k) {
    const double t = static_cast<double>(k) / kRate * (1.0 + 1e-6 * p.ppm);
    double sum = p.noise * normal();
    for (std::size_t i = 0; i < p.tones_hz.size(); ++i)
      sum += p.tone * std::sin(2.0 * kPi * p.tones_hz[i] * t + 1.7 * static_cast<double>(i * i));
    for (std::size_t i = 0; i < p.products_hz.size(); ++i)
      sum += p.product * std::sin(2.0 * kPi * p.products_hz[i] * t + 0.4 * static_cast<double>(i));
    x[lead + k] = sum;
  }
  return x;
}

double db(double x) {
  return 20.0 * std::log10(x);
}

double rest_at(const MultitoneReading& r, double f) {
  for (std::size_t i = 0; i < r.band_hz.size(); ++i)
    if (std::abs(r.band_hz[i] / f - 1.0) < 0.05) return r.rest[i];
  return std::numeric_limits<double>::quiet_NaN();
}

TEST(MultitoneReadingTest, AProductBesideAToneHasItsOwnLine) {
  const auto m =
      multitone({.low_hz = 20, .high_hz = 16000, .tones_per_octave = 3, .period_s = 2.0});
  ASSERT_TRUE(m);
  // Half a hertz beside the tones nearest to 25, 100 and 1000 Hz.
  std::vector<double> beside;
  for (const double f : {25.0, 100.0, 1000.0}) {
    double best = m->tones_hz.front();
    for (const double t : m->tones_hz)
      if (std::abs(t - f) < std::abs(best - f)) best = t;
    beside.push_back(best + 0.5);
  }
  for (const double ppm : {0.0, -120.0, 35.0})
    for (const double silence : {0.0, 0.4}) {
      const auto x = signal_of({.tones_hz = m->tones_hz,
                                .products_hz = beside,
                                .ppm = ppm,
                                .seconds = 5.0,
                                .silence_s = silence});
      const auto r = read_multitone(x, kRate, m->tones_hz);
      ASSERT_TRUE(r) << r.error().message;
      EXPECT_NEAR((r->recorder_rate - 1.0) * 1e6, ppm, 0.2) << "the tones run that much faster";
      for (const double tone : r->tone) EXPECT_NEAR(db(tone), db(0.1 / std::sqrt(2.0)), 0.02);
      for (const double f : {25.0, 100.0, 1000.0})
        EXPECT_NEAR(db(rest_at(*r, f)), db(1e-4 / std::sqrt(2.0)), 0.3) << f << ", " << ppm;
      EXPECT_NEAR(r->range_db(), 60.0, 0.3);
    }
}

TEST(MultitoneReadingTest, TonesWithoutACommonPeriodAreReadThroughAWindow) {
  std::vector<double> tones;
  for (double f = 83.1234; f < 16000.0; f *= 1.3171) tones.push_back(f);
  const auto x = signal_of({.tones_hz = tones, .products_hz = {1111.0, 2718.3}, .noise = 1e-4});
  const auto r = read_multitone(x, kRate, tones);
  ASSERT_TRUE(r) << r.error().message;
  // White noise of 1e-4 rms over 24 kHz; a third octave at f is 0.2316 f wide.
  for (const double f : {125.0, 500.0, 4000.0, 10000.0}) {
    const double noise = 1e-4 * std::sqrt(0.2316 * f / 24000.0);
    EXPECT_NEAR(db(rest_at(*r, f)), db(noise), f < 200.0 ? 3.0 : 1.0) << f;
  }
  EXPECT_NEAR(db(rest_at(*r, 2500.0)),
              db(std::hypot(1e-4 / std::sqrt(2.0), 1e-4 * std::sqrt(0.2316 * 2500.0 / 24000.0))),
              0.5);
  EXPECT_NEAR(r->range_db(), 60.0, 0.6);
}

TEST(MultitoneReadingTest, WhatBuildsUpAtTheStartIsNoFloor) {
  // A room that takes 30 ms to settle, recorded from the first sample on; exactly two periods.
  const auto m =
      multitone({.low_hz = 60, .high_hz = 12000, .tones_per_octave = 2, .period_s = 2.0});
  ASSERT_TRUE(m);
  auto x = signal_of({.tones_hz = m->tones_hz, .products_hz = {1000.0}});
  for (std::size_t i = 0; i < x.size(); ++i)
    x[i] *= 1.0 - std::exp(-static_cast<double>(i) / (0.01 * kRate));
  const auto r = read_multitone(x, kRate, m->tones_hz);
  ASSERT_TRUE(r);
  EXPECT_NEAR(r->range_db(), 60.0, 0.3);
}

TEST(MultitoneReadingTest, BelowTheTonesTheRangeIsNotCounted) {
  // Played from 200 Hz on, with hum at 120 Hz: "what a band limit wins".
  std::vector<double> tones;
  for (double f = 201.0; f < 16000.0; f = 2.0 * std::round(0.65 * f) + 1.0) tones.push_back(f);
  const auto x = signal_of({.tones_hz = tones, .products_hz = {120.0, 1500.0}, .product = 1e-3});
  const auto loud = read_multitone(x, kRate, tones);
  ASSERT_TRUE(loud);
  EXPECT_NEAR(db(rest_at(*loud, 125.0)), db(1e-3 / std::sqrt(2.0)), 0.3);
  EXPECT_NEAR(loud->range_db(), 40.0, 0.3) << "by the product at 1500 Hz";
}

TEST(MultitoneReadingTest, WhatCannotBeReadSaysWhy) {
  const std::vector<double> x = signal_of({.tones_hz = {100, 101}, .seconds = 2.0});
  EXPECT_NE(read_multitone(x, kRate, {100, 101}).error().message.find("told apart"),
            std::string::npos);
  EXPECT_FALSE(read_multitone(x, kRate, {100}));
  EXPECT_FALSE(read_multitone(x, kRate, {100, 30000}));
  EXPECT_FALSE(read_multitone(std::vector<double>(48000, 0.0), kRate, {100, 200}));
}

}  // namespace
}  // namespace lalometer
