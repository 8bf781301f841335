#include "acoustics/network/design/topology.h"

#include <gtest/gtest.h>

#include <cmath>
#include <functional>

#include "acoustics/network/design/ladder_fit.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Place = LadderPart::Place;

double gain_db(const Ladder& ladder, double load_ohm, double f) {
  return 20.0 * std::log10(std::abs(solve_ladder(ladder, load_ohm, f).transfer));
}

/// Coils without resistance, as the tables have them.
Ladder ideal(Ladder ladder) {
  for (LadderPart& p : ladder)
    if (p.inductance_h > 0.0) p.resistance_ohm = 0.0;
  return ladder;
}

// First values are Butterworth's: 3 dB down at the corner into their load, whatever the order.
TEST(Topology, FirstValuesAreTheTextbooks) {
  for (int order = 1; order <= 4; ++order) {
    const LowShape low{.order = order};
    const HighShape high{.order = order};
    EXPECT_EQ(low.parts(), order);
    const Ladder l = ideal(ladder_of(low, first_values(low, 2000.0, 6.0, 0.0, 5000.0)));
    const Ladder h = ideal(ladder_of(high, first_values(high, 2000.0, 6.0, 1.0, 800.0)));
    EXPECT_NEAR(gain_db(l, 6.0, 2000.0), -3.01, 0.05) << order;
    EXPECT_NEAR(gain_db(h, 6.0, 2000.0), -3.01, 0.05) << order;
    EXPECT_LT(gain_db(l, 6.0, 20000.0), -19.0 * order);
    EXPECT_LT(gain_db(h, 6.0, 200.0), -19.0 * order);
  }
}

TEST(Topology, EveryShapeTakesAsManyElementsAsItCounts) {
  for (int order = 1; order <= 4; ++order)
    for (const bool one : {false, true})
      for (const bool two : {false, true})
        for (const bool three : {false, true}) {
          if (order < 2 && one) continue;  // there is no capacitor to damp
          const LowShape low{order, one, two, three};
          const LadderTheta theta = first_values(low, 1500.0, 6.0, 0.3e-3, 4000.0);
          EXPECT_EQ(static_cast<int>(theta.size()), low.parts());
          EXPECT_EQ(ranges_of(low).size(), theta.size());
          for (std::size_t i = 0; i < theta.size(); ++i) {
            EXPECT_GE(theta[i], ranges_of(low)[i].low);
            EXPECT_LE(theta[i], ranges_of(low)[i].high);
          }
        }
  for (int order = 1; order <= 4; ++order)
    for (const PadShape pad :
         {PadShape::kNone, PadShape::kSeries, PadShape::kFront, PadShape::kBoth}) {
      const HighShape high{order, pad, true};
      EXPECT_EQ(static_cast<int>(first_values(high, 2500.0, 5.0, 0.6, 900.0).size()), high.parts());
    }
}

// Each part of a shape can be bought, listed and drawn by itself, its heat in its own line.
TEST(Topology, EveryElementStandsByItself) {
  const std::function<int(const Ladder&)> elements = [&](const Ladder& parts) {
    int n = 0;
    for (const LadderPart& p : parts) {
      const bool coil = p.inductance_h > 0.0, capacitor = p.capacitance_f > 0.0;
      EXPECT_FALSE(coil && capacitor);
      EXPECT_FALSE(capacitor && p.resistance_ohm > 0.0) << "a resistor that no list would name";
      n += coil || capacitor || p.resistance_ohm > 0.0 ? 1 : 0;
      n += elements(p.parts);
    }
    return n;
  };
  const LowShape low{3, true, true, true};
  EXPECT_EQ(elements(ladder_of(low, first_values(low, 2000.0, 6.0, 0.4e-3, 5000.0))), low.parts());
  const HighShape high{3, PadShape::kBoth, true};
  EXPECT_EQ(elements(ladder_of(high, first_values(high, 2000.0, 6.0, 0.5, 900.0))), high.parts());
}

// A pad leaves the share of the voltage that it is asked for, and shows the load's own resistance.
TEST(Topology, APadLeavesItsShare) {
  const HighShape high{.order = 1, .pad = PadShape::kBoth};
  const Ladder h = ladder_of(high, first_values(high, 500.0, 8.0, 0.5, 900.0));
  const Ladder pad(h.begin() + 1, h.end());
  const LadderState s = solve_ladder(pad, 8.0, 5000.0);
  EXPECT_NEAR(std::abs(s.transfer), 0.5, 1e-6);
  EXPECT_NEAR(s.input_ohm.real(), 8.0, 1e-6);
}

TEST(Topology, ATrapTakesItsOwnFrequency) {
  const LowShape trapped{.order = 1, .trapped = true};
  const Ladder l = ladder_of(trapped, first_values(trapped, 20000.0, 6.0, 0.0, 4000.0));
  const double at = gain_db(l, 6.0, 4000.0);
  EXPECT_LT(at, gain_db(l, 6.0, 1500.0) - 3.0);
  EXPECT_LT(at, gain_db(l, 6.0, 11000.0) - 2.0);
}

// The fit finds values that made a curve, from others.
TEST(LadderFitTest, FindsWhatMadeTheCurve) {
  const LowShape shape{.order = 3};
  const LadderTheta truth = {std::log(1.5e-3), std::log(18e-6), std::log(0.33e-3)};
  const auto residual = [&](const LadderTheta& t) {
    std::vector<double> r;
    for (double f = 200.0; f < 8000.0; f *= 1.1)
      r.push_back(gain_db(ladder_of(shape, t), 5.0, f) - gain_db(ladder_of(shape, truth), 5.0, f));
    return r;
  };
  const LadderFit fit = fitted_ladder(residual, first_values(shape, 2500.0, 5.0, 0.0, 4000.0),
                                      ranges_of(shape), 80, {});
  for (std::size_t i = 0; i < truth.size(); ++i) EXPECT_NEAR(fit.theta[i], truth[i], 0.02) << i;
  EXPECT_LT(fit.cost, 1e-3);
}

TEST(LadderFitTest, StaysInItsRangesAndStops) {
  const LowShape shape{.order = 1};
  const auto wants_more = [](const LadderTheta& t) { return std::vector<double>{t[0] - 10.0}; };
  const LadderFit fit = fitted_ladder(wants_more, {std::log(1e-3)}, ranges_of(shape), 50, {});
  EXPECT_NEAR(fit.theta[0], ranges_of(shape)[0].high, 1e-9);
  std::stop_source stop;
  stop.request_stop();
  EXPECT_EQ(fitted_ladder(wants_more, {0.0}, {{-1.0, 1.0}}, 50, stop.get_token()).theta[0], 0.0);
}

TEST(SwitchedOn, WhatIsOffIsAWireInTheLineAndNothingAcross) {
  LadderPart group{.place = Place::kSeries, .join = LadderPart::Join::kParallel};
  group.parts = {{.place = Place::kSeries, .resistance_ohm = 10.0},
                 {.place = Place::kSeries, .resistance_ohm = 10.0, .off = true}};
  Ladder ladder = {{.place = Place::kSeries, .resistance_ohm = 5.0, .off = true},
                   {.place = Place::kShunt, .resistance_ohm = 1.0, .off = true},
                   group};
  const Ladder on = switched_on(ladder);
  ASSERT_EQ(on.size(), 1U);
  EXPECT_NEAR(std::abs(solve_ladder(on, 10.0, 1000.0).transfer), 0.5, 1e-9);
  // A group of which all is off is a wire too, not a hole in the line.
  ladder[2].parts[0].off = true;
  EXPECT_TRUE(switched_on(ladder).empty());
  EXPECT_NEAR(std::abs(solve_ladder(switched_on(ladder), 10.0, 1000.0).transfer), 1.0, 1e-12);
}

}  // namespace
}  // namespace lalometer
