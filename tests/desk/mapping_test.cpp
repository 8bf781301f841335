#include "workbench/reading/scale/mapping.h"

#include <gtest/gtest.h>

namespace lalometer {
namespace {

TEST(AcrossMapping, IsItsOwnInverse) {
  for (const bool logarithmic : {true, false}) {
    const AcrossMapping map{20.0, 20000.0, 50.0, 850.0, logarithmic};
    for (const double px : {50.0, 333.0, 850.0}) EXPECT_NEAR(map.px(map.value(px)), px, 1e-9);
  }
}

TEST(AcrossMapping, GivesEveryDecadeTheSameWidth) {
  const AcrossMapping map{20.0, 20000.0, 0.0, 300.0, true};
  EXPECT_NEAR(map.px(200.0), 100.0, 1e-9);
  EXPECT_NEAR(map.px(2000.0), 200.0, 1e-9);
}

TEST(FrequencyTicks, LabelTheDecadesAndTwosAndFivesOfAWholeScore) {
  std::vector<std::string> labels;
  for (const Tick& tick : frequency_ticks(20.0, 20000.0, 560.0)) {
    if (!tick.label.empty()) labels.push_back(tick.label);
  }
  EXPECT_EQ(labels, (std::vector<std::string>{"20", "50", "100", "200", "500", "1k", "2k", "5k",
                                              "10k", "20k"}));
}

TEST(FrequencyTicks, NeverComeCloserThanFortyPixels) {
  for (double high = 30.0; high < 50000.0; high *= 1.7) {
    const AcrossMapping map{20.0, high, 0.0, 600.0, true};
    double last = -1e9;
    for (const Tick& tick : frequency_ticks(20.0, high, 600.0)) {
      if (tick.label.empty()) continue;
      EXPECT_GT(map.px(tick.value) - last, 38.0) << tick.label << " up to " << high;
      last = map.px(tick.value);
    }
  }
}

TEST(EvenTicks, StepByOneTwoOrFive) {
  const auto ticks = even_ticks(55.0, 95.0, 320.0, 26.0);
  ASSERT_EQ(ticks.size(), 9U);
  EXPECT_EQ(ticks[0].label, "55");
  EXPECT_EQ(ticks[8].label, "95");
  EXPECT_TRUE(even_ticks(1.0, 1.0, 100.0, 20.0).empty());
}

TEST(Zoomed, KeepsThePointUnderThePointerWhereItIs) {
  const FrequencyRange whole;
  const FrequencyRange closer = zoomed(whole, 1000.0, 0.5);
  const AcrossMapping before{whole.low_hz, whole.high_hz, 0.0, 1000.0, true};
  const AcrossMapping after{closer.low_hz, closer.high_hz, 0.0, 1000.0, true};
  EXPECT_NEAR(before.px(1000.0), after.px(1000.0), 1e-9);
  FrequencyRange range = whole;
  for (int i = 0; i < 60; ++i) range = zoomed(range, 1000.0, 0.7);
  EXPECT_GT(range.high_hz / range.low_hz, 1.25) << "never closer than a third of an octave";
}

TEST(Shifted, StopsAtTheEnds) {
  const FrequencyRange low = shifted({20.0, 20000.0}, -50.0);
  EXPECT_NEAR(low.low_hz, 1.0, 1e-9);
  EXPECT_NEAR(low.high_hz / low.low_hz, 1000.0, 1e-6);
}

TEST(SpreadLabels, NeverOverlapAndKeepTheirOrder) {
  const std::vector<double> placed =
      spread_labels({50.0, 49.0, 51.0, 200.0, 199.0}, 15.0, 0.0, 210.0);
  EXPECT_LT(placed[1], placed[0]);
  EXPECT_LT(placed[0], placed[2]);
  EXPECT_LT(placed[4], placed[3]);
  EXPECT_GE(placed[0] - placed[1], 15.0 - 1e-9);
  EXPECT_GE(placed[3] - placed[4], 15.0 - 1e-9);
  EXPECT_LE(placed[3], 202.5 + 1e-9);
}

}  // namespace
}  // namespace lalometer
