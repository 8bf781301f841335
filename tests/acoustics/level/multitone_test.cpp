#include "acoustics/level/multitone.h"

#include <gtest/gtest.h>

#include <cmath>

#include "base/constants.h"

namespace lalometer {
namespace {

std::vector<int> multiples(const Multitone& m, double period_s) {
  std::vector<int> out;
  for (const double f : m.tones_hz) out.push_back(static_cast<int>(std::lround(f * period_s)));
  return out;
}

TEST(MultitoneTest, ToneByToneNoProductFallsOnAnother) {
  const auto m = multitone({.low_hz = 40.0, .high_hz = 16000.0, .tones_per_octave = 2.0});
  ASSERT_TRUE(m);
  const auto at = multiples(*m, 2.0);
  EXPECT_EQ(at.size(), 18U);
  for (const int k : at) EXPECT_EQ(k % 2, 1) << "products of even order lie at even multiples";
  EXPECT_EQ(third_order_collisions(at), 0);
  // About evenly spaced.
  for (std::size_t i = 1; i < at.size(); ++i)
    EXPECT_NEAR(std::log2(m->tones_hz[i] / m->tones_hz[i - 1]), 0.5, 0.12);
}

TEST(MultitoneTest, CollisionsAreCounted) {
  EXPECT_EQ(third_order_collisions({1, 3}), 1) << "3 x 1";
  EXPECT_EQ(third_order_collisions({3, 5, 7}), 2) << "2 x 5 - 3, 2 x 5 - 7";
  EXPECT_EQ(third_order_collisions({5, 23}), 0);
}

// Parseval: all tones are equally loud, so rms is the root of half their number times one's size;
// and what is played holds nothing else.
TEST(MultitoneTest, OnePeriodHoldsTheTonesAtOneSizeAndNothingElse) {
  const auto m = multitone({.tones_per_octave = 3.0, .period_s = 1.0, .sample_rate_hz = 44100.0});
  ASSERT_TRUE(m);
  ASSERT_EQ(m->period.size(), 44100U);
  double square = 0.0;
  double peak = 0.0;
  for (const double v : m->period) {
    square += v * v / 44100.0;
    peak = std::max(peak, std::abs(v));
  }
  EXPECT_NEAR(peak, 1.0, 1e-9);
  EXPECT_NEAR(m->crest, 1.0 / std::sqrt(square), 1e-9);
  double of_tones = 0.0;
  double schroeder = 0.0;
  std::vector<double> by_schroeder(44100, 0.0);
  for (std::size_t k = 0; k < m->tones_hz.size(); ++k) {
    double re = 0.0, im = 0.0;
    for (std::size_t i = 0; i < 44100; ++i) {
      const double turn = 2.0 * kPi * m->tones_hz[k] * static_cast<double>(i) / 44100.0;
      re += m->period[i] * std::sin(turn) / 22050.0;
      im += m->period[i] * std::cos(turn) / 22050.0;
      by_schroeder[i] += std::sin(turn - kPi * static_cast<double>(k * k) /
                                             static_cast<double>(m->tones_hz.size()));
    }
    EXPECT_NEAR(std::hypot(re, im),
                std::sqrt(2.0 * square / static_cast<double>(m->tones_hz.size())), 1e-6);
    EXPECT_NEAR(std::remainder(std::atan2(im, re) - m->phases_rad[k], 2.0 * kPi), 0.0, 1e-6);
    of_tones += 0.5 * (re * re + im * im);
  }
  EXPECT_NEAR(of_tones, square, 1e-9);
  double sum = 0.0;
  for (const double v : by_schroeder) {
    schroeder = std::max(schroeder, std::abs(v));
    sum += v * v / 44100.0;
  }
  EXPECT_LT(m->crest, schroeder / std::sqrt(sum) - 0.1);
}

TEST(MultitoneTest, RefusesWhatAPeriodCannotTellApart) {
  EXPECT_FALSE(multitone({.low_hz = 10.0, .tones_per_octave = 12.0, .period_s = 1.0}));
  EXPECT_FALSE(multitone({.low_hz = 100.0, .high_hz = 30000.0}));
}

}  // namespace
}  // namespace lalometer
