// What takes tell of level and time: which stand together, where a decay ends, what differs, what
// is said of it.
#include <gmock/gmock.h>

#include <numbers>

#include "support/support.h"
#include "workbench/level/decay_study.h"
#include "workbench/level/distortion_study.h"

namespace lalometer {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;

Take sweep_at(double drive_v, double degrees = 0.0, const std::string& driver = {}) {
  Take t;
  FarFieldSetup setup;
  setup.place.horizontal_deg = degrees;
  t.setup = setup;
  t.form = RawForm::kSweepFile;
  t.conditions.drive_v = drive_v;
  t.conditions.driver = driver;
  t.conditions.stimulus = {.start_hz = 20, .stop_hz = 20000, .duration_s = 1.0};
  return t;
}

TEST(LevelGroupTest, DrivesOfOnePlaceStandTogether) {
  Take near = sweep_at(2.83);
  near.setup = NearFieldSetup{"woofer", 5.0};
  Take impulse = sweep_at(2.83);
  impulse.form = RawForm::kImpulseFile;
  const std::vector<Take> all = {
      sweep_at(2.83, 30),         sweep_at(1.0), near, sweep_at(8.0), impulse, sweep_at(2.83),
      sweep_at(4.0, 0, "tweeter")};
  std::vector<const Take*> takes;
  for (const Take& t : all) takes.push_back(&t);
  EXPECT_THAT(level_group(takes, {}), ElementsAre(1U, 3U, 5U));
  EXPECT_THAT(level_group(takes, {.driver = "tweeter"}), ElementsAre(6U));
  EXPECT_THAT(level_group(takes, {.source = "woofer"}), ElementsAre(2U));
  EXPECT_TRUE(level_group(takes, {.source = "port"}).empty());
}

DistortionReading reading_of(double (*thd)(double)) {
  DistortionReading r{
      .harmonics = {.axis = FrequencyAxis::logarithmic(20, 20000, 48), .orders = {}, .thd = {}},
      .drive_v = 4.0,
      .three_percent = {},
      .ten_percent = {}};
  for (const double f : r.harmonics.axis.hz())
    r.harmonics.thd.push_back({.ratio = thd(f), .at_most = thd(f), .known = true, .whole = true});
  return r;
}

TEST(StrainTest, RangesOverTheLimitWithWhatTheyReach) {
  const auto strained = strained_ranges(reading_of([](double f) {
    return f < 60.0                   ? 0.12
           : f > 2000.0 && f < 4000.0 ? 0.045
           : f > 9000.0 && f < 9300.0 ? 0.2
                                      : 0.004;
  }));
  ASSERT_EQ(strained.size(), 2U) << "a needle is none";
  EXPECT_NEAR(strained[0].high_hz, 60.0, 1.0);
  EXPECT_NEAR(strained[0].thd_percent, 12.0, 1e-6);
  EXPECT_NEAR(strained[1].low_hz, 2000.0, 30.0);
  EXPECT_NEAR(strained[1].high_hz, 4000.0, 60.0);
  EXPECT_EQ(strained[1].drive_v, 4.0);
  EXPECT_TRUE(strained_ranges(reading_of([](double) { return 0.01; })).empty());
}

/// A pulse 5 ms after the excitation, and what rings or comes back after it.
ImpulseStage stage_of(double ring_hz, double echo_s) {
  constexpr double kRate = 48000.0;
  std::vector<double> x(24000, 0.0);
  const std::size_t at = 240;
  x[at] = 1.0;
  for (std::size_t i = at; ring_hz > 0.0 && i < x.size(); ++i) {
    const double t = static_cast<double>(i - at) / kRate;
    x[i] += 0.03 * std::exp(-t * std::numbers::ln10 / 0.05) * std::cos(2.0 * kPi * ring_hz * t);
  }
  ImpulseStage s;
  s.arrival_s = 0.005;
  s.origin = {0.005, TimeOrigin::Source::kOnset};
  if (echo_s > 0.0) {
    x[at + static_cast<std::size_t>(echo_s * kRate)] += 0.4;
    s.first_reflection_s = s.arrival_s + echo_s;
  }
  s.impulse =
      std::make_shared<const ImpulseResponse>(ImpulseResponse{x, kRate, 0.0, {10.0, 22000.0}});
  return s;
}

TEST(DecayStudyTest, ItEndsAtTheFirstReflectionButForTheBass) {
  Take take = sweep_at(2.83);
  const ImpulseStage stage = stage_of(200.0, 0.006);
  const auto gated = decay_reading(take, stage);
  ASSERT_TRUE(gated);
  EXPECT_NEAR(gated->span.length_s, 0.006, 1e-4);
  EXPECT_THAT(gated->notes,
              testing::Contains(HasSubstr("6.0 ms after the arrival is a reflection")));
  EXPECT_GT(gated->map.axis.front(), 160.0) << "nothing below one over its length";
  EXPECT_TRUE(gated->ridges.empty()) << "6 ms tell no decay at 200 Hz";
  const auto bass = decay_reading(take, stage, {.kind = DecayMap::Kind::kBass});
  ASSERT_TRUE(bass);
  EXPECT_GT(bass->span.length_s, 0.4);
  EXPECT_LT(bass->map.axis.back(), 401.0);
  // Near fields hear no room.
  take.setup = NearFieldSetup{"woofer", 5.0};
  const auto near = decay_reading(take, stage_of(200.0, 0.0));
  ASSERT_TRUE(near);
  ASSERT_EQ(near->ridges.size(), 1U);
  EXPECT_NEAR(near->ridges.front().decay_s.value, 0.05, 0.003);
}

TEST(DecayStudyTest, LevelsAreThoseOfTheResponse) {
  ImpulseStage stage = stage_of(0.0, 0.0);
  // One pascal for the pulse: 94 dB at all frequencies.
  const auto told = decay_reading(sweep_at(2.83), stage);
  ASSERT_TRUE(told);
  for (std::size_t i = 10; i + 30 < told->map.axis.size(); ++i)
    EXPECT_NEAR(told->map.level_db[0][i], 93.98, 0.1) << told->map.axis[i];
  stage.calibrated = false;
  EXPECT_NEAR(decay_reading(sweep_at(2.83), stage)->map.level_db[0][100], 0.0, 0.1);
}

TEST(RidgeChangeTest, WhatIsLongerIsSaidWithWhetherItIsReal) {
  const auto ridge = [](double f, double decay_s, double half) {
    return Ridge{.frequency_hz = {f, 0.1}, .decay_s = {decay_s, half}};
  };
  const auto changes =
      ridge_changes({ridge(60, 0.080, 0.004), ridge(400, 0.02, 0.002)},
                    {ridge(61, 0.120, 0.006), ridge(402, 0.021, 0.002), ridge(1500, 0.01, 0.001)});
  ASSERT_EQ(changes.size(), 3U);
  EXPECT_EQ(spoken(changes[0]), "longer at 61.0 Hz by 40.0 ms: real");
  EXPECT_FALSE(changes[1].real);
  EXPECT_THAT(spoken(changes[1]), HasSubstr("within what both intervals explain"));
  EXPECT_EQ(spoken(changes[2]), "new at 1.50 kHz");
}

}  // namespace
}  // namespace lalometer
