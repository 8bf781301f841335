#include "acoustics/spectrum/smoothing.h"

#include "base/constants.h"
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

// Two paths that differ by 30 ms comb every 33 Hz, far finer than a sixth of an octave at 2 kHz and
// than an axis of 12 points an octave: the mean power of 1 + z exp(-j w t) is 1 + z^2.
TEST(SmoothedOnto, CountsAllThatLiesInABandHoweverCoarseTheAxis) {
  std::vector<double> hz;
  for (double f = 20.0; f < 20000.0; f += 0.5) hz.push_back(f);
  std::vector<std::complex<double>> values;
  for (const double f : hz) values.push_back(1.0 + 0.6 * std::polar(1.0, -2.0 * kPi * f * 0.030));
  const Response comb = *Response::make(*FrequencyAxis::make(std::move(hz)), std::move(values),
                                        Quantity::kRatio, {20.0, 20000.0}, true);
  for (const double points : {12.0, 96.0}) {
    const FrequencyAxis axis = FrequencyAxis::logarithmic(2000.0, 10000.0, points);
    const Response read = smoothed_onto(comb, axis, 6);
    ASSERT_EQ(read.size(), axis.size());
    for (std::size_t i = 0; i < read.size(); ++i)
      ASSERT_NEAR(20.0 * std::log10(read.magnitude(i)), 10.0 * std::log10(1.36), 0.3) << axis[i];
  }
  // Sampled first and smoothed then, the comb's teeth remain.
  const Response sampled =
      smoothed(smoothed_onto(comb, FrequencyAxis::logarithmic(2000.0, 10000.0, 12.0), 0), 6);
  double worst = 0.0;
  for (std::size_t i = 0; i < sampled.size(); ++i)
    worst = std::max(worst,
                     std::abs(20.0 * std::log10(sampled.magnitude(i)) - 10.0 * std::log10(1.36)));
  EXPECT_GT(worst, 1.0) << "the comparison would say nothing otherwise";
}

TEST(SmoothedOnto, ByZeroReadsTheCurveBetweenItsPoints) {
  const Response r = curve_from([](double f) { return std::complex<double>(f / 1000.0, 1.0); },
                                Quantity::kRatio, 20.0, 20000.0, 48.0);
  const Response read = smoothed_onto(r, *FrequencyAxis::make({100.0, 1234.5, 9000.0}), 0);
  EXPECT_NEAR(read.value(1).real(), 1.2345, 1e-9) << "a straight line stays one";
  EXPECT_NEAR(read.value(2).imag(), 1.0, 1e-12);
}

TEST(SmoothedOnto, OnItsOwnAxisItIsTheSameAsSmoothed) {
  const Response r =
      curve_from([](double f) { return std::polar(1.0 + 0.3 * std::sin(f / 90.0), 0.4); },
                 Quantity::kRatio, 20.0, 20000.0, 96.0);
  const Response a = smoothed(r, 3);
  const Response b = smoothed_onto(r, r.axis(), 3);
  for (std::size_t i = 0; i < a.size(); ++i)
    ASSERT_NEAR(std::abs(a.value(i) - b.value(i)), 0.0, 1e-12) << i;
}

TEST(ComplexSmoothed, LowersALevelWhosePhaseTurnsQuickly) {
  const Response r = curve_from([](double f) { return std::polar(1.0, -2.0 * kPi * f * 0.003); },
                                Quantity::kRatio, 20.0, 20000.0, 384.0);
  EXPECT_LT(std::abs(value_at(complex_smoothed(r, 3), 5000.0)), 0.3);
}

}  // namespace
}  // namespace lalometer
