#include "acoustics/open_baffle/shallow_box.h"

#include "support/support.h"

namespace lalometer {
namespace {

// Reference: tests/reference/baffle_bem.py (NumPy 1.24; elements of at most 25 mm, 16.7 mm at a
// depth of 50 mm), 400 x 600 mm, piston of 200 mm in the middle, 2 m on the axis. Elements of 25
// mm give up to 0.14 dB less at 50 mm: so much is it worth there.
TEST(ShallowBox, StaysWithinADecibelOfBoundaryElements) {
  struct Row {
    double depth_m;
    std::vector<double> level_db;
  };
  const auto axis = *FrequencyAxis::make({50, 80, 120, 200, 300, 500, 700, 900});
  const Row rows[] = {{0.30, {-5.138, -4.866, -4.083, -1.619, 0.402, 3.176, 2.181, 0.239}},
                      {0.15, {-5.170, -4.958, -4.362, -1.972, 1.190, 2.524, 2.307, 0.288}},
                      {0.09, {-5.191, -5.001, -4.495, -2.353, 1.193, 2.873, 1.947, 0.243}},
                      {0.05, {-5.215, -5.040, -4.599, -2.729, 0.878, 3.348, 2.073, -0.060}}};
  for (const Row& row : rows) {
    const Baffle baffle = *Baffle::make({0.4, 0.6, row.depth_m, EdgeShape::kSquare, 0.0});
    const BafflePiston piston = *BafflePiston::make(baffle, 0.2, 0.3, 0.1);
    const auto values =
        box_response(baffle, piston, {0.2, 0.3, 2.0}, axis, 343.0, DiffractionEffort::kFine);
    for (std::size_t i = 0; i < axis.size(); ++i)
      EXPECT_NEAR(20.0 * std::log10(std::abs(values[i])), row.level_db[i], 0.9)
          << row.depth_m << " m, " << axis[i] << " Hz";
  }
}

// No depth at all: the source alone on a thin panel, half of what is alike on both sides and half
// of what is opposite; far below, half of the half space on both sides.
TEST(ShallowBox, SendsHalfOfItRoundInTheDeepBass) {
  const Baffle baffle = *Baffle::make({0.3, 0.4, 0.02, EdgeShape::kSquare, 0.0});
  const BafflePiston piston = *BafflePiston::make(baffle, 0.15, 0.2, 0.06);
  const auto axis = *FrequencyAxis::make({8.0, 10.0});
  for (const double z : {20.0, -20.0}) {
    const auto values =
        box_response(baffle, piston, {0.15, 0.2, z}, axis, 343.0, DiffractionEffort::kFine);
    EXPECT_NEAR(std::abs(values[0]), 0.5, 0.01);
  }
}

}  // namespace
}  // namespace lalometer
