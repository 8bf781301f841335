#include "acoustics/network/ladder.h"

#include "support/support.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
using Place = LadderPart::Place;

// Reference: ngspice 39, tests/reference/ladder.cir.
TEST(Ladder, EqualsNgspice) {
  const Ladder ladder = {{.place = Place::kSeries, .resistance_ohm = 0.25, .inductance_h = 0.00068},
                         {.place = Place::kShunt, .resistance_ohm = 2.2, .capacitance_f = 9.1e-6}};
  struct Row {
    double f;
    Complex transfer, input;
  };
  const Row reference[] = {{100.0, {0.9545761, -0.0643486}, {6.261909, 0.5352143}},
                           {1000.0, {0.7129022, -0.384512}, {7.446014, 4.909433}},
                           {2200.0, {0.4796094, -0.672277}, {8.923069, 6.535220}},
                           {10000.0, {-0.0355839, -0.0613340}, {2.675566, 41.09909}}};
  for (const Row& row : reference) {
    const LadderState s = solve_ladder(ladder, {6.0, 2.0 * kPi * row.f * 0.0005}, row.f);
    EXPECT_LT(std::abs(s.transfer - row.transfer), 1e-6) << row.f;
    EXPECT_LT(std::abs(s.input_ohm - row.input), 1e-5 * std::abs(row.input)) << row.f;
  }
}

TEST(Ladder, WithoutPartsIsAWire) {
  const LadderState s = solve_ladder({}, 8.0, 1000.0);
  EXPECT_EQ(s.transfer, Complex(1.0));
  EXPECT_EQ(s.input_ohm, Complex(8.0));
}

// Textbook pad: 4 ohm in series, 8 ohm across an 8 ohm load: half of the voltage, 8 ohm input.
TEST(Ladder, OfResistorsDividesTheVoltage) {
  const Ladder pad = {{.place = Place::kSeries, .resistance_ohm = 4.0},
                      {.place = Place::kShunt, .resistance_ohm = 8.0}};
  const LadderState s = solve_ladder(pad, 8.0, 1000.0);
  EXPECT_NEAR(std::abs(s.transfer), 0.5, 1e-12);
  EXPECT_NEAR(std::abs(s.input_ohm), 8.0, 1e-12);
}

}  // namespace
}  // namespace lalometer
