#include "acoustics/spectrum/unit_turn.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace lalometer {
namespace {

// Against the C library's sine and cosine, over the table's steps, between them, and beyond where
// the table is used.
TEST(UnitTurn, IsTheLibrarysSineAndCosine) {
  std::mt19937_64 engine(1);
  for (const double reach : {1e-9, 0.01, 3.2, 500.0, 5999.0, 1e5}) {
    std::uniform_real_distribution<double> within(-reach, reach);
    for (int k = 0; k < 2000; ++k) {
      const double x = within(engine);
      const std::complex<double> turn = unit_turn(x);
      ASSERT_NEAR(turn.real(), std::cos(x), 4e-16) << x;
      ASSERT_NEAR(turn.imag(), std::sin(x), 4e-16) << x;
    }
  }
}

TEST(UnitTurn, IsExactAtNothing) {
  EXPECT_EQ(unit_turn(0.0), std::complex<double>(1.0, 0.0));
}

}  // namespace
}  // namespace lalometer
