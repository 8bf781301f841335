#include "acoustics/network/textbook_ladder.h"

#include "support/support.h"

namespace lalometer {
namespace {

// Reference: scipy.signal.butter(n, 1, analog=True), SciPy 1.10, magnitudes at half, one and two
// times the corner.
TEST(TextbookLadder, IsAButterworthOfItsOrder) {
  const double want[4][3] = {{0.89442719, 0.70710678, 0.4472136},
                             {0.9701425, 0.70710678, 0.24253563},
                             {0.99227788, 0.70710678, 0.12403473},
                             {0.99805258, 0.70710678, 0.06237829}};
  for (int order = 1; order <= 4; ++order) {
    const Ladder low = butterworth_ladder(LadderPass::kLow, order, 2000.0, 6.0);
    const Ladder high = butterworth_ladder(LadderPass::kHigh, order, 2000.0, 6.0);
    for (int i = 0; i < 3; ++i) {
      const double ratio = std::exp2(i - 1);
      EXPECT_NEAR(std::abs(solve_ladder(low, 6.0, 2000.0 * ratio).transfer), want[order - 1][i],
                  1e-5);
      EXPECT_NEAR(std::abs(solve_ladder(high, 6.0, 2000.0 / ratio).transfer), want[order - 1][i],
                  1e-5);
    }
  }
}

TEST(TextbookLadder, PadKeepsTheLoadAndTrapTakesItsFrequencyOut) {
  const LadderState pad = solve_ladder(attenuator_pad(0.5, 8.0), 8.0, 1000.0);
  EXPECT_NEAR(std::abs(pad.input_ohm - 8.0), 0.0, 1e-9);
  EXPECT_NEAR(std::abs(pad.transfer - 0.5), 0.0, 1e-9);
  EXPECT_TRUE(attenuator_pad(1.2, 8.0).empty());
  const LadderPart t = trap(1600.0, 2.5, 0.6);
  EXPECT_NEAR(std::abs(t.impedance_ohm(1600.0)), 0.6, 1e-9);
  EXPECT_GT(std::abs(t.impedance_ohm(400.0)), 3.0);
  // A coil and its compensation together are a resistor: R + jwL beside R + 1/(jwC), C = L/R^2.
  const std::complex<double> coil(6.0, 2.0 * kPi * 3000.0 * 5e-4);
  const auto other = impedance_compensation(6.0, 5e-4).impedance_ohm(3000.0);
  EXPECT_NEAR(std::abs(coil * other / (coil + other) - 6.0), 0.0, 1e-9);
}

}  // namespace
}  // namespace lalometer
