#include "acoustics/near_field/bass_figures.h"

#include <gtest/gtest.h>

#include <cmath>

#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

Response curve_of(const FrequencyAxis& axis, Complex (*h)(double)) {
  std::vector<Complex> values;
  for (const double f : axis.hz()) values.push_back(h(f));
  return *Response::make(axis, std::move(values), Quantity::kRatio, {axis.front(), axis.back()},
                         true);
}

// A Butterworth high-pass of fourth order: |H|^2 = 1 / (1 + (fc/f)^8), so that it is 3, 6 and 10 dB
// down at fc (10^0.3 - 1)^(-1/8) and so on.
TEST(BassFigures, FallsAreWhereAButterworthHasThem) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(10.0, 500.0, 24.0);
  const Response curve = curve_of(
      axis, [](double f) { return Complex(1.0 / std::sqrt(1.0 + std::pow(40.0 / f, 8))); });
  for (const double fall : {3.0, 6.0, 10.0}) {
    const double want = 40.0 * std::pow(std::pow(10.0, fall / 10.0) - 1.0, -1.0 / 8.0);
    const auto got = fall_off_hz(curve, 0.0, fall, 0.5);
    ASSERT_TRUE(got);
    EXPECT_NEAR(got->value, want, 0.002 * want) << fall;
  }
  // At -10 dB it falls some 22 dB an octave: half a decibel is 1.6 %.
  EXPECT_NEAR(fall_off_hz(curve, 0.0, 10.0, 0.5)->half_width, 0.016 * 30.4, 0.05);
  EXPECT_FALSE(fall_off_hz(curve.with_valid({45.0, 500.0}), 0.0, 6.0, 0.5)) << "not valid so low";
}

TEST(BassFigures, TheTuningIsWhereConeAndPortStandAQuarterApart) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(10.0, 400.0, 48.0);
  for (const double losses : {4.0, 12.0}) {
    std::vector<Complex> cone;
    std::vector<Complex> port;
    for (const double f : axis.hz()) {
      // Any drive; leak QL beside the port's mass, box compliance: U_cone + U_port + U_leak closes.
      const double x = f / 43.0;
      const Complex drive = 1.0 / Complex(1.0 - std::pow(30.0 / f, 2), 0.4 * 30.0 / f);
      const Complex load = Complex(1.0 / losses, x - 1.0 / x);  // of the box's air, over its own
      cone.push_back(drive * load);
      port.push_back(-drive / Complex(0.0, x));
    }
    std::vector<Complex> values = cone;
    const Response heard =
        *Response::make(axis, std::move(values), Quantity::kRatio, {10.0, 400.0}, true);
    const auto least = least_movement_hz(heard, 15.0, 200.0);
    ASSERT_TRUE(least);
    EXPECT_NEAR(*least, 43.0, 1.3);
    const auto fb = tuning_by_movements(axis, cone, port, *least);
    ASSERT_TRUE(fb);
    EXPECT_NEAR(fb->value, 43.0, 0.005 * 43.0) << losses;
  }
}

TEST(BassFigures, TopsStandOutByTheirValleys) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(50.0, 3000.0, 48.0);
  const Response curve = curve_of(axis, [](double f) {
    const auto mode = [f](double at, double q) {
      return 1.0 / Complex(1.0 - std::pow(f / at, 2), f / at / q);
    };
    return mode(80.0, 3.0) + 0.05 * mode(900.0, 20.0);
  });
  const auto found = tops(curve, 200.0, 2500.0, 3.0);
  ASSERT_EQ(found.size(), 1U);
  EXPECT_NEAR(found[0].frequency_hz, 900.0, 4.0);
  EXPECT_GT(found[0].prominence_db, 6.0);
}

}  // namespace
}  // namespace lalometer
