#include "acoustics/network/design/crossover_design.h"

#include <gmock/gmock.h>

#include <random>

#include "acoustics/network/whatif/made_drivers.h"

namespace lalometer {
namespace {

using namespace made;
using ::testing::HasSubstr;

CrossoverWish wish(double hz, FilterShape shape, int order) {
  CrossoverWish w;
  w.low = "woofer";
  w.high = "tweeter";
  w.frequency_hz = hz;
  w.shape = shape;
  w.order = order;
  return w;
}

/// Largest departure of the sum from its mean an octave to each side, by the network's own answer.
double uneven_db(const CrossoverDesign& d, const std::vector<NetworkDriver>& drivers, double hz) {
  const auto sum = network_sum(d.network, drivers);
  EXPECT_TRUE(sum.has_value());
  std::vector<double> level;
  for (std::size_t i = 0; i < sum->axis.size(); ++i)
    if (sum->axis[i] > hz / 2.0 && sum->axis[i] < 2.0 * hz)
      level.push_back(to_level_db(std::abs(sum->sum[i]), kReferencePressure_pa));
  double mean = 0.0, most = 0.0;
  for (const double x : level) mean += x / static_cast<double>(level.size());
  for (const double x : level) most = std::max(most, std::abs(x - mean));
  return most;
}

int parts_of(const LadderPart& p) {
  int n = p.parts.empty() ? 1 : 0;
  for (const LadderPart& one : p.parts) n += parts_of(one);
  // A capacitor with a resistor that is no coil's own is two.
  if (p.capacitance_f > 0.0 && p.resistance_ohm > 0.0) ++n;
  if (p.capacitance_f > 0.0 && p.inductance_h > 0.0) ++n;
  return n;
}

// Twenty two-ways of random levels, slopes, break-up and a woofer up to 40 mm behind: flat by
// Linkwitz and Riley (1976) of order 2 with at most 6 parts, of order 4 with at most 9.
TEST(CrossoverDesignTest, RandomTwoWaysMeetWithinADecibelWithFewParts) {
  std::mt19937 engine(7);
  const auto between = [&](double a, double b) {
    return std::uniform_real_distribution<double>(a, b)(engine);
  };
  int possible = 0, tried = 0;
  for (int k = 0; k < 20; ++k) {
    const TwoWay t{.woofer_db = between(84.0, 87.0),
                   .tweeter_db = between(87.0, 92.0),
                   .woofer_top_hz = between(3500.0, 6000.0),
                   .breakup_hz = between(4500.0, 8000.0),
                   .breakup_db = between(0.0, 6.0),
                   .tweeter_fs_hz = between(700.0, 1000.0),
                   .tweeter_q = between(0.6, 1.2),
                   .behind_m = between(0.0, 0.04)};
    const auto drivers = t.drivers();
    for (const int order : {2, 4}) {
      const double hz = between(1900.0, 2500.0);
      const auto d = crossover_design(drivers, wish(hz, FilterShape::kLinkwitzRiley, order));
      ASSERT_TRUE(d.has_value()) << d.error().text();
      ++tried;
      EXPECT_LE(d->parts, order == 2 ? 6 : 9);
      int counted = 0;
      for (const DesignBranch& b : d->network.branches)
        for (const LadderPart& p : b.ladder) counted += parts_of(p);
      EXPECT_EQ(counted, d->parts);
      const double off = uneven_db(*d, drivers, hz);
      if (d->possible) {
        ++possible;
        EXPECT_LT(off, 1.1) << k << ": what is called possible is";
      } else {
        EXPECT_THAT(d->verdict, ::testing::AnyOf(HasSubstr("Not possible"), HasSubstr("axis")));
      }
    }
  }
  EXPECT_GE(possible, (9 * tried) / 10);
}

TEST(CrossoverDesignTest, WhatNoSimpleNetworkCanDoIsSaidPlainly) {
  // A hole of 12 dB where they meet: nothing passive fills it.
  auto drivers = TwoWay().drivers();
  for (NetworkDriver& d : drivers) {
    const Response was = d.responses.begin()->second;
    d.responses.begin()->second =
        curve_of(Quantity::kPressure, 100.0, 20000.0, 48.0, [&](double f) {
          const Complex s(0.0, f / 2600.0);
          return value_at(was, std::clamp(f, 100.1, 19999.0)) * (1.0 + 0.05 * s + s * s) /
                 (1.0 + 0.3 * s + s * s);
        });
  }
  const auto d = crossover_design(drivers, wish(2000.0, FilterShape::kLinkwitzRiley, 4));
  ASSERT_TRUE(d.has_value());
  EXPECT_FALSE(d->possible);
  EXPECT_THAT(d->verdict, HasSubstr("below its target at 2.6"));
  EXPECT_GT(std::abs(d->largest_db), 3.0);
}

// IEC 60063: twelve and twenty-four values a decade.
TEST(CrossoverDesignTest, ValuesAreThoseOfTheSeriesAndTheirCostIsTold) {
  EXPECT_NEAR(nearest_of(PartSeries::kE12, 7.3e-6), 6.8e-6, 1e-12);
  EXPECT_NEAR(nearest_of(PartSeries::kE24, 7.3e-6), 7.5e-6, 1e-12);
  EXPECT_NEAR(nearest_of(PartSeries::kE12, 0.097e-3), 0.1e-3, 1e-12);
  EXPECT_NEAR(next_of(PartSeries::kE12, 8.2, 1), 10.0, 1e-9);
  EXPECT_NEAR(next_of(PartSeries::kE24, 1.0, -1), 0.91, 1e-9);
  const auto drivers = TwoWay().drivers();
  CrossoverWish w = wish(2200.0, FilterShape::kLinkwitzRiley, 4);
  w.series = PartSeries::kE12;
  const auto d = crossover_design(drivers, w);
  ASSERT_TRUE(d.has_value());
  for (const DesignBranch& b : d->network.branches)
    for (const LadderPart& p : b.ladder)
      for (const double value : {1e3 * p.inductance_h, 1e6 * p.capacitance_f})
        if (value > 0.0) {
          EXPECT_NEAR(nearest_of(PartSeries::kE12, value) / value, 1.0, 1e-9);
        }
  EXPECT_LT(std::abs(d->rounding_cost_db), 0.6);
  EXPECT_NEAR(uneven_db(*d, drivers, 2200.0), std::abs(d->largest_db), 0.25);
}

TEST(CrossoverDesignTest, APolarityIsChosenAndNothingIsMadeLouder) {
  const auto drivers = TwoWay().drivers();
  const auto d = crossover_design(drivers, wish(2200.0, FilterShape::kLinkwitzRiley, 2));
  ASSERT_TRUE(d.has_value());
  EXPECT_GE(d->minimum_ohm, 3.0) << "an amplifier must drive it";
  const auto sum = network_sum(d->network, drivers);
  const auto crossings = network_crossings(*sum);
  ASSERT_EQ(crossings.size(), 1U);
  EXPECT_GT(crossings[0].reverse_null_db, 6.0) << "the other polarity is worse";
  for (const NetworkSum::Branch& b : sum->branches)
    for (const Complex t : b.transfer) EXPECT_LT(std::abs(t), 1.5);
}

TEST(CrossoverDesignTest, AWishThatCannotBeIsRefusedAndAStopEndsIt) {
  const auto drivers = TwoWay().drivers();
  EXPECT_FALSE(crossover_design(drivers, wish(2000.0, FilterShape::kLinkwitzRiley, 3)).has_value())
      << "that filter has orders 2 and 4 alone";
  EXPECT_THAT(crossover_design(drivers, wish(150.0, FilterShape::kButterworth, 2)).error().text(),
              HasSubstr("an octave to each side"));
  CrossoverWish same = wish(2000.0, FilterShape::kButterworth, 2);
  same.high = same.low;
  EXPECT_FALSE(crossover_design(drivers, same).has_value());
  CrossoverWish stopped = wish(2000.0, FilterShape::kButterworth, 2);
  std::stop_source stop;
  stop.request_stop();
  stopped.stop = stop.get_token();
  EXPECT_EQ(crossover_design(drivers, stopped).error().code, ErrorCode::kCancelled);
}

}  // namespace
}  // namespace lalometer
