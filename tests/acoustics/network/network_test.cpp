#include "acoustics/network/network.h"

#include "support/support.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
using Place = LadderPart::Place;
using Join = LadderPart::Join;

LadderPart beside(Place place, std::vector<LadderPart> parts) {
  return {.place = place, .join = Join::kParallel, .parts = std::move(parts)};
}

/// Baffle-step coil beside a resistor, a trap in the line, a trap across with a part inside a part.
std::vector<NetworkBranch> two_way(double f) {
  const double w = 2.0 * kPi * f;
  const Place in = Place::kSeries;
  const Ladder woofer = {
      {.place = in, .resistance_ohm = 0.2, .inductance_h = 0.9e-3},
      beside(in, {{.place = in, .inductance_h = 0.5e-3}, {.place = in, .resistance_ohm = 6.8}}),
      {.place = Place::kShunt, .resistance_ohm = 1.0, .capacitance_f = 15e-6}};
  const Ladder tweeter = {
      {.place = in, .capacitance_f = 6.8e-6},
      beside(in, {{.place = in, .inductance_h = 0.1e-3},
                  {.place = in, .capacitance_f = 2.2e-6},
                  {.place = in, .resistance_ohm = 12.0}}),
      {.place = Place::kShunt, .resistance_ohm = 0.3, .inductance_h = 0.25e-3},
      {.place = Place::kShunt,
       .resistance_ohm = 4.7,
       .capacitance_f = 22e-6,
       .join = Join::kParallel,
       .parts = {{.place = in, .inductance_h = 0.8e-3}, {.place = in, .resistance_ohm = 10.0}}}};
  return {{woofer, Complex(5.6, w * 0.6e-3)}, {tweeter, 4.2}};
}

// Reference: ngspice 39, tests/reference/network.cir (six or seven digits).
TEST(Network, OfNestedPartsEqualsNgspice) {
  struct Row {
    double f;
    Complex woofer, tweeter, input, resistor_a;
  };
  const Row reference[] = {{60.0,
                            {8.955394e-01, -7.61041e-02},
                            {-1.98665e-04, 6.762679e-04},
                            {5.828787e+00, 4.901029e-01},
                            {5.367557e-04, 4.408342e-03}},
                           {450.0,
                            {6.547442e-01, -3.62500e-01},
                            {-1.13836e-02, 7.539325e-03},
                            {7.571346e+00, 3.472081e+00},
                            {1.726409e-02, 1.837565e-02}},
                           {2000.0,
                            {-3.96162e-02, -5.50402e-01},
                            {-1.07908e-01, 1.837836e-01},
                            {9.607303e+00, -6.53481e+00},
                            {5.142714e-02, -1.99546e-03}},
                           {9000.0,
                            {-1.83708e-02, -2.33676e-02},
                            {2.493650e-01, -9.07086e-03},
                            {9.591511e+00, 5.083665e+00},
                            {7.102930e-03, -1.67155e-02}}};
  for (const Row& row : reference) {
    const NetworkState s = solve_network(two_way(row.f), 0.4, row.f);
    EXPECT_LT(std::abs(s.transfer[0] - row.woofer), 2e-6) << row.f;
    EXPECT_LT(std::abs(s.transfer[1] - row.tweeter), 2e-6) << row.f;
    EXPECT_LT(std::abs(s.input_ohm - row.input), 1e-5 * std::abs(row.input)) << row.f;
    const auto resistor = std::find_if(s.parts.begin(), s.parts.end(), [](const PartState& p) {
      return p.branch == 0 && p.path == std::vector<std::size_t>{1, 1};
    });
    ASSERT_NE(resistor, s.parts.end());
    EXPECT_LT(std::abs(resistor->amps - row.resistor_a), 1e-7) << row.f;
  }
}

// Two ways to the same: nodes, and walking from the load to the source.
TEST(Network, OfOneBranchIsItsLadder) {
  for (const double f : {30.0, 700.0, 5000.0}) {
    for (const NetworkBranch& branch : two_way(f)) {
      const NetworkState nodes = solve_network({&branch, 1}, 0.0, f);
      const LadderState walked = solve_ladder(branch.ladder, branch.load_ohm, f);
      EXPECT_LT(std::abs(nodes.transfer[0] - walked.transfer), 1e-7);
      EXPECT_LT(std::abs(nodes.input_ohm - walked.input_ohm), 1e-6 * std::abs(walked.input_ohm));
    }
  }
}

}  // namespace
}  // namespace lalometer
