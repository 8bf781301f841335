#include "acoustics/network/whatif/as_built.h"

#include <gmock/gmock.h>

#include "acoustics/network/whatif/made_drivers.h"
#include "acoustics/network/whatif/tolerance.h"
#include "support/support.h"

namespace lalometer {
namespace {

using namespace made;
using Place = LadderPart::Place;
using ::testing::HasSubstr;

DesignedNetwork usual() {
  DesignedNetwork n{.source_ohm = 0.05, .branches = {}};
  n.branches.push_back(
      {.driver = "woofer",
       .ladder = {{.place = Place::kSeries, .resistance_ohm = 0.4, .inductance_h = 1.2e-3},
                  {.place = Place::kShunt, .capacitance_f = 10e-6},
                  {.place = Place::kSeries, .resistance_ohm = 0.2, .inductance_h = 0.47e-3}}});
  n.branches.push_back(
      {.driver = "tweeter",
       .polarity = -1,
       .ladder = {{.place = Place::kSeries, .capacitance_f = 6.8e-6},
                  {.place = Place::kShunt, .resistance_ohm = 0.3, .inductance_h = 0.39e-3},
                  {.place = Place::kSeries, .capacitance_f = 15e-6},
                  {.place = Place::kSeries, .resistance_ohm = 2.2}}});
  return n;
}

/// What a microphone and a jig would say of a board, with the usual differences of two takes: parts
/// 3 % off, a smooth tilt and a level of the rig, 0.2 dB of roughness.
BuiltTakes measured(const DesignedNetwork& board, const std::vector<NetworkDriver>& drivers,
                    std::uint64_t seed) {
  test::Normals normals(seed);
  DesignedNetwork real = board;
  for (DesignBranch& b : real.branches)
    for (LadderPart& p : b.ladder) {
      p.inductance_h *= 1.0 + 0.03 * normals();
      p.capacitance_f *= 1.0 + 0.03 * normals();
      p.resistance_ohm *= 1.0 + 0.03 * normals();
    }
  const NetworkSum s = *network_sum(real, drivers);
  const double level_db = 1.5 * normals(), tilt_db = 0.25 * normals();
  std::vector<Complex> sound, load;
  for (std::size_t i = 0; i < s.axis.size(); ++i) {
    const double off = level_db + tilt_db * std::log10(s.axis[i] / 1000.0) + 0.2 * normals();
    sound.push_back(s.sum[i] * std::pow(10.0, off / 20.0));
    load.push_back(s.load_ohm[i] * (1.0 + 0.005 * normals()));
  }
  return {*Response::make(s.axis, sound, Quantity::kPressure, s.valid, true),
          *Response::make(s.axis, load, Quantity::kImpedance, {}, true)};
}

TEST(AsBuiltTest, ABoardAsDrawnIsCalledSo) {
  const auto drivers = TwoWay().drivers();
  for (const std::uint64_t seed : {1U, 2U, 3U, 4U, 5U}) {
    const auto built = as_built(usual(), drivers, measured(usual(), drivers, seed));
    ASSERT_TRUE(built.has_value()) << built.error().text();
    EXPECT_TRUE(built->as_drawn) << built->told;
  }
}

// Boards with one mistake each, on drivers of other slopes and levels: named right in nine of ten.
TEST(AsBuiltTest, OneMistakeIsNamed) {
  struct Wrong {
    const char* said;
    void (*make)(DesignedNetwork&);
  };
  const Wrong wrongs[] = {
      {"tweeter is turned round against woofer",
       [](DesignedNetwork& n) { n.branches[1].polarity = 1; }},
      {"C1 of woofer is missing", [](DesignedNetwork& n) { n.branches[0].ladder[1].off = true; }},
      {"L1 of tweeter is missing", [](DesignedNetwork& n) { n.branches[1].ladder[1].off = true; }},
      {"R1 of tweeter is bridged", [](DesignedNetwork& n) { n.branches[1].ladder[3].off = true; }},
      {"C1 of tweeter and C2 of tweeter are swapped",
       [](DesignedNetwork& n) {
         std::swap(n.branches[1].ladder[0].capacitance_f, n.branches[1].ladder[2].capacitance_f);
       }},
      {"L1 of woofer and L2 of woofer are swapped",
       [](DesignedNetwork& n) {
         std::swap(n.branches[0].ladder[0].inductance_h, n.branches[0].ladder[2].inductance_h);
       }},
      {"C1 of tweeter is 0.1 times its value",
       [](DesignedNetwork& n) { n.branches[1].ladder[0].capacitance_f *= 0.1; }},
      {"R1 of tweeter is 10 times its value",
       [](DesignedNetwork& n) { n.branches[1].ladder[3].resistance_ohm *= 10.0; }},
      {"L1 of woofer is bridged", [](DesignedNetwork& n) { n.branches[0].ladder[0].off = true; }},
      {"C2 of tweeter is 2 times its value",
       [](DesignedNetwork& n) { n.branches[1].ladder[2].capacitance_f *= 2.0; }}};
  int right = 0, tried = 0;
  std::uint64_t seed = 10;
  for (const double top : {3800.0, 4500.0, 5500.0}) {
    TwoWay two;
    two.woofer_top_hz = top;
    two.behind_m = 0.012;
    const auto drivers = two.drivers();
    for (const Wrong& w : wrongs) {
      DesignedNetwork board = usual();
      w.make(board);
      const auto built = as_built(usual(), drivers, measured(board, drivers, ++seed));
      ASSERT_TRUE(built.has_value());
      ++tried;
      const bool named =
          !built->as_drawn && !built->otherwise.empty() && built->otherwise.front().what == w.said;
      right += named ? 1 : 0;
    }
  }
  EXPECT_GE(right, (9 * tried) / 10) << right << " of " << tried;
}

TEST(AsBuiltTest, WhatNoSingleMistakeExplainsIsNotBlamedOnOne) {
  const auto drivers = TwoWay().drivers();
  DesignedNetwork board = usual();
  board.branches[0].ladder[0].inductance_h *= 4.3;
  board.branches[1].ladder[0].capacitance_f *= 6.0;
  board.branches[1].ladder[1].inductance_h *= 5.0;
  const auto built = as_built(usual(), drivers, measured(board, drivers, 3));
  EXPECT_FALSE(built->as_drawn);
  EXPECT_THAT(built->told, HasSubstr("no single mistake"));
  EXPECT_FALSE(as_built(usual(), drivers, {}).has_value()) << "nothing was taken";
}

TEST(AsBuiltTest, TheImpedanceAloneTellsWhatItCan) {
  const auto drivers = TwoWay().drivers();
  DesignedNetwork board = usual();
  board.branches[0].ladder[1].off = true;
  BuiltTakes takes = measured(board, drivers, 5);
  takes.sound.reset();
  const auto built = as_built(usual(), drivers, takes);
  ASSERT_FALSE(built->otherwise.empty());
  EXPECT_EQ(built->otherwise.front().what, "C1 of woofer is missing");
  // A polarity moves no impedance: nothing is said of it.
  board = usual();
  board.branches[1].polarity = 1;
  takes = measured(board, drivers, 6);
  takes.sound.reset();
  EXPECT_TRUE(as_built(usual(), drivers, takes)->as_drawn);
}

// Parts inside others: a trap in the line and a damped capacitor across.
TEST(AsBuiltTest, MistakesInsideGroupsAreNamed) {
  DesignedNetwork drawn = usual();
  drawn.branches[0].ladder[1] = {.place = Place::kShunt,
                                 .parts = {{.place = Place::kShunt, .capacitance_f = 10e-6},
                                           {.place = Place::kShunt, .resistance_ohm = 1.5}}};
  drawn.branches[0].ladder.insert(
      drawn.branches[0].ladder.begin(),
      {.place = Place::kSeries,
       .join = LadderPart::Join::kParallel,
       .parts = {{.place = Place::kSeries, .inductance_h = 0.22e-3, .name = "L9"},
                 {.place = Place::kSeries, .capacitance_f = 4.7e-6},
                 {.place = Place::kSeries, .resistance_ohm = 15.0}}});
  struct Wrong {
    const char* said;
    void (*make)(Ladder&);
  };
  const Wrong wrongs[] = {
      {"L9 is missing", [](Ladder& l) { l[0].parts.erase(l[0].parts.begin()); }},
      {"C1 of woofer is 10 times its value",
       [](Ladder& l) { l[0].parts[1].capacitance_f *= 10.0; }},
      {"R2 of woofer is 10 times its value",
       [](Ladder& l) { l[2].parts[1].resistance_ohm *= 10.0; }},
      {"C1 of woofer and C2 of woofer are swapped",
       [](Ladder& l) { std::swap(l[0].parts[1].capacitance_f, l[2].parts[0].capacitance_f); }},
  };
  TwoWay t;
  t.woofer_top_hz = 9000.0;
  const auto drivers = t.drivers();
  for (const Wrong& wrong : wrongs) {
    DesignedNetwork board = drawn;
    wrong.make(board.branches[0].ladder);
    const auto built = as_built(drawn, drivers, measured(board, drivers, 3));
    ASSERT_TRUE(built.has_value());
    ASSERT_FALSE(built->otherwise.empty()) << wrong.said << ": " << built->told;
    EXPECT_EQ(built->otherwise.front().what, wrong.said) << built->told;
  }
  EXPECT_TRUE(as_built(drawn, drivers, measured(drawn, drivers, 4))->as_drawn);
}

// Where one part alone decides, its spread can be worked out by hand: a resistor of R before 8 ohm,
// R (1 + x) with x even over 10 %: 20 log10 ((8 + R) / (8 + R (1 + x))), of which 95 % lie within
// that of x = 0.095.
TEST(ToleranceTest, OnePartsSpreadIsThatOfTheFormula) {
  std::vector<NetworkDriver> one;
  one.push_back(
      {"cone",
       {{NetworkAngle{},
         curve_of(Quantity::kPressure, 100.0, 10000.0, 12.0, [](double) { return Complex(1.0); })}},
       curve_of(Quantity::kImpedance, 100.0, 10000.0, 12.0, [](double) { return Complex(8.0); })});
  DesignedNetwork n{.branches = {{.driver = "cone",
                                  .ladder = {{.place = Place::kSeries, .resistance_ohm = 8.0}}}}};
  const auto band = tolerance_band(n, one, {.resistor_percent = 10.0, .trials = 4000});
  ASSERT_TRUE(band.has_value());
  EXPECT_NEAR(band->half_width_db[5], 20.0 * std::log10(16.0 / (16.0 - 0.095 * 8.0)), 0.02);
  EXPECT_NEAR(band->lowest_ohm, 16.0 - 0.8, 0.02);
  const auto exact = tolerance_band(n, one, {.resistor_percent = 0.0, .trials = 10});
  EXPECT_LT(exact->widest_db, 1e-9);
  // The same seed, the same band.
  EXPECT_EQ(tolerance_band(n, one)->half_width_db, tolerance_band(n, one)->half_width_db);
}

}  // namespace
}  // namespace lalometer
