#include "workbench/networks/sum_bumps.h"

#include <gmock/gmock.h>

#include "acoustics/network/design/crossover_design.h"
#include "acoustics/network/whatif/made_drivers.h"
#include "workbench/networks/material_stones.h"
#include "workbench/networks/out/filters_out.h"

namespace lalometer {
namespace {

using namespace made;
using Place = LadderPart::Place;

DesignedNetwork bare() {
  return {.branches = {{.driver = "woofer"}, {.driver = "tweeter"}}};
}

/// A crossover of the first order, so that each has its own band.
DesignedNetwork simple() {
  DesignedNetwork n = bare();
  n.branches[0].ladder = {{.place = Place::kSeries, .inductance_h = 0.8e-3},
                          {.place = Place::kShunt, .capacitance_f = 8e-6}};
  n.branches[1].polarity = -1;
  n.branches[1].ladder = {{.place = Place::kSeries, .capacitance_f = 6e-6},
                          {.place = Place::kShunt, .inductance_h = 0.5e-3}};
  return n;
}

const SumBump* near_to(const std::vector<SumBump>& all, double hz) {
  const SumBump* nearest = nullptr;
  double away = 0.25;
  for (const SumBump& b : all)
    if (const double x = std::abs(std::log2(b.at_hz / hz)); x < away) {
      away = x;
      nearest = &b;
    }
  return nearest;
}

/// What each adds makes up the whole.
void expect_whole(const SumBump& b) {
  EXPECT_NEAR(b.by_driver_db + b.by_network_db + b.by_other_db, b.height_db, 0.02);
}

TEST(SumBumps, ADriversOwnPeakIsItsOwn) {
  TwoWay t;
  t.breakup_hz = 700.0;
  t.breakup_db = 5.0;
  const auto all = sum_bumps(*network_sum(simple(), t.drivers()));
  const SumBump* b = near_to(all, 700.0);
  ASSERT_NE(b, nullptr);
  EXPECT_EQ(b->cause, SumBump::Cause::kDriver);
  EXPECT_EQ(b->driver, "woofer");
  EXPECT_THAT(b->told, ::testing::HasSubstr("woofer's own"));
  expect_whole(*b);
}

TEST(SumBumps, AResonantLadderIsTheNetworks) {
  DesignedNetwork n = simple();
  // In the line before the tweeter: nothing at 9 kHz gets through.
  n.branches[1].ladder.push_back({.place = Place::kSeries,
                                  .join = LadderPart::Join::kParallel,
                                  .parts = {{.place = Place::kSeries, .inductance_h = 0.1e-3},
                                            {.place = Place::kSeries, .capacitance_f = 3.1e-6},
                                            {.place = Place::kSeries, .resistance_ohm = 20.0}}});
  const auto all = sum_bumps(*network_sum(n, TwoWay().drivers()));
  const SumBump* b = near_to(all, 9040.0);
  ASSERT_NE(b, nullptr);
  EXPECT_LT(b->height_db, -3.0);
  EXPECT_EQ(b->cause, SumBump::Cause::kNetwork);
  expect_whole(*b);
}

TEST(SumBumps, ANullBetweenTheDriversIsNotToBeFilled) {
  // Of a design whose drivers stand in phase one is turned round.
  CrossoverWish wish;
  wish.low = "woofer";
  wish.high = "tweeter";
  wish.frequency_hz = 2200.0;
  const auto design = crossover_design(TwoWay().drivers(), wish);
  ASSERT_TRUE(design.has_value());
  EXPECT_EQ(near_to(sum_bumps(*network_sum(design->network, TwoWay().drivers())), 2200.0), nullptr);
  DesignedNetwork n = design->network;
  n.branches[1].polarity = -n.branches[1].polarity;
  const NetworkSum s = *network_sum(n, TwoWay().drivers());
  const auto crossings = network_crossings(s);
  ASSERT_FALSE(crossings.empty());
  const auto all = sum_bumps(s);
  const SumBump* b = near_to(all, crossings.front().frequency_hz);
  ASSERT_NE(b, nullptr);
  EXPECT_LT(b->height_db, -3.0);
  EXPECT_EQ(b->cause, SumBump::Cause::kBetween);
  EXPECT_FALSE(b->fill);
  expect_whole(*b);
}

TEST(FiltersOut, ImpulsesAreTheBranchesOwnAnswer) {
  DesignedNetwork n = bare();
  n.branches[1].polarity = -1;
  n.branches[1].active = {
      .gain_db = -3.0, .delay_s = 0.25e-3, .filters = {{BiquadKind::kPeaking, 3000.0, 4.0, 2.0}}};
  const auto impulses = filter_impulses(n);
  ASSERT_EQ(impulses.size(), 1U) << "the woofer has none";
  // By the sum over its taps.
  for (const double f : {500.0, 3000.0, 10000.0}) {
    std::complex<double> h = 0.0;
    for (std::size_t i = 0; i < impulses[0].taps.size(); ++i)
      h += impulses[0].taps[i] * std::polar(1.0, -2.0 * kPi * f * static_cast<double>(i) / 48000.0);
    EXPECT_NEAR(std::abs(h + n.branches[1].active.at(f)), 0.0, 2e-3) << f;
  }
  EXPECT_FALSE(write_filters("/nowhere/filters.json", bare()).has_value());
}

}  // namespace
}  // namespace lalometer
