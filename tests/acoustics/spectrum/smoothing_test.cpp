#include "acoustics/spectrum/smoothing.h"

#include "support/support.h"

namespace lalometer {
namespace {

using test::curve_from;

TEST(Smoothed, LeavesAFlatCurveExactlyFlat) {
  const Response flat = curve_from([](double) { return 0.7; }, Quantity::kRatio);
  for (const int n : {1, 3, 24}) {
    const Response s = smoothed(flat, n);
    for (std::size_t i = 0; i < s.size(); ++i) ASSERT_NEAR(s.magnitude(i), 0.7, 1e-12);
  }
}

TEST(Smoothed, ByZeroIsTheCurveItself) {
  const Response r =
      curve_from([](double f) { return std::polar(f, f / 1000.0); }, Quantity::kRatio);
  EXPECT_EQ(smoothed(r, 0).values(), r.values());
}

// Closed form: the power f^2 averaged over log2 f in [-1/2N, 1/2N] octaves is f^2 sinh(a)/a with a
// = ln 2 / N.
TEST(Smoothed, MeansThePowerOverLogFrequency) {
  const Response slope =
      curve_from([](double f) { return f / 1000.0; }, Quantity::kRatio, 10.0, 20000.0, 192.0);
  for (const int n : {1, 3}) {
    const double a = std::log(2.0) / n;
    const double want = 10.0 * std::log10(std::sinh(a) / a);
    const std::complex<double> got = value_at(smoothed(slope, n), 1000.0);
    EXPECT_NEAR(20.0 * std::log10(std::abs(got)), want, 0.002) << "1/" << n;
  }
}

TEST(Smoothed, DoesNotDependOnHowDenseThePointsAre) {
  const auto law = [](double f) { return 1.0 + 0.5 * std::sin(3.0 * std::log(f)); };
  const Response coarse = smoothed(curve_from(law, Quantity::kRatio, 20.0, 20480.0, 48.0), 3);
  const Response fine = smoothed(curve_from(law, Quantity::kRatio, 20.0, 20480.0, 384.0), 3);
  for (const double f : {50.0, 333.0, 4000.0}) {
    EXPECT_NEAR(std::abs(value_at(coarse, f)), std::abs(value_at(fine, f)), 1e-3) << f;
  }
}

TEST(Smoothed, KeepsAPureDelayPhaseAndItsLevel) {
  const Response r = curve_from([](double f) { return std::polar(1.0, -2.0 * kPi * f * 0.001); },
                                Quantity::kRatio, 20.0, 20000.0, 96.0);
  const Response s = smoothed(r, 6);
  for (std::size_t i = 0; i < s.size(); ++i) {
    ASSERT_NEAR(s.magnitude(i), 1.0, 1e-9);
    ASSERT_NEAR(test::wrapped_deg(s.phase_deg(i) - r.phase_deg(i)), 0.0, 1e-6);
  }
}

TEST(ComplexSmoothed, LowersALevelWhosePhaseTurnsQuickly) {
  const Response r = curve_from([](double f) { return std::polar(1.0, -2.0 * kPi * f * 0.003); },
                                Quantity::kRatio, 20.0, 20000.0, 384.0);
  EXPECT_LT(std::abs(value_at(complex_smoothed(r, 3), 5000.0)), 0.3);
}

}  // namespace
}  // namespace lalometer
