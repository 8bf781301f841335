// Means, phase apart, offsets, differences: against closed forms of filters in s (textbook
// Butterworth and Linkwitz-Riley functions) and sums of sines.
#include <cmath>

#include "acoustics/curves/difference.h"
#include "acoustics/curves/means.h"
#include "acoustics/curves/phase_parts.h"
#include "acoustics/curves/step_response.h"
#include "support/support.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

Response over(double low, double high, double per_octave,
              const std::function<Complex(double)>& value) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(low, high, per_octave);
  std::vector<Complex> values;
  for (const double f : axis.hz()) values.push_back(value(f));
  return *Response::make(axis, std::move(values), Quantity::kPressure, {low, high}, true);
}

Complex high_pass2(double f, double f0, double q) {
  const Complex s(0.0, f / f0);
  return s * s / (1.0 + s / q + s * s);
}
Complex low_pass2(double f, double f0, double q) {
  const Complex s(0.0, f / f0);
  return 1.0 / (1.0 + s / q + s * s);
}
Complex later(double f, double seconds) {
  return std::polar(1.0, -2.0 * kPi * f * seconds);
}

TEST(Means, PowerForgetsPhasesAndComplexDoesNot) {
  const Response a = over(20, 20000, 24, [](double) { return Complex(2.0, 0.0); });
  const Response b = over(20, 20000, 12, [](double) { return Complex(-2.0, 0.0); });
  const auto power = mean_of({a, b}, MeanHow::kPower);
  ASSERT_TRUE(power);
  EXPECT_NEAR(power->magnitude(50), 2.0, 1e-9);
  EXPECT_FALSE(power->has_phase());
  const auto complex = mean_of({a, b}, MeanHow::kComplex);
  EXPECT_NEAR(complex->magnitude(50), 0.0, 1e-9);
  EXPECT_FALSE(mean_of({a}, MeanHow::kPower)) << "one curve has no mean";
}

TEST(Means, SpreadIsTheDeviationOfTheMean) {
  test::Normals normal(3);
  std::vector<Response> repeats;
  for (int k = 0; k < 16; ++k)
    repeats.push_back(
        over(100, 10000, 48, [&](double) { return 1.0 + 0.02 * Complex(normal(), normal()); }));
  const auto mean = mean_of(repeats, MeanHow::kComplex);
  double square = 0.0;
  for (const double s : mean->spread()) square += s * s;
  // 0.02 in each part: 0.02 sqrt(2) of the whole, over the root of 16.
  EXPECT_NEAR(std::sqrt(square / static_cast<double>(mean->size())), 0.02 * std::sqrt(2.0) / 4.0,
              0.0005);
}

TEST(PhaseParts, DelayAndSignComeOutOfAMinimumPhaseDriver) {
  for (const double delay : {0.0, 137e-6, -0.9e-3}) {
    for (const double sign : {1.0, -1.0}) {
      const auto parts = phase_parts(over(20, 20000, 48, [&](double f) {
        return sign * high_pass2(f, 70.0, 0.8) * low_pass2(f, 3500.0, 0.7) * later(f, delay);
      }));
      ASSERT_TRUE(parts);
      EXPECT_NEAR(parts->delay_s, delay, 6e-6);
      EXPECT_LE(std::abs(parts->delay_s - delay), parts->delay_half_width_s);
      EXPECT_EQ(parts->inverted, sign < 0.0);
    }
  }
}

// Twelve points an octave and a gate's limit: what a file from elsewhere holds.
TEST(PhaseParts, SparseCurvesHoldADelayToo) {
  const auto parts = phase_parts(over(300, 20000, 12, [&](double f) {
    return high_pass2(f, 1100.0, 0.7) * low_pass2(f, 24000.0, 0.7) * later(f, 0.31e-3);
  }));
  ASSERT_TRUE(parts);
  EXPECT_NEAR(parts->delay_s, 0.31e-3, 10e-6);
  EXPECT_LE(std::abs(parts->delay_s - 0.31e-3), parts->delay_half_width_s);
}

// A first-order all-pass turns by 180 degrees in all and has no magnitude to tell it by.
TEST(PhaseParts, AnAllPassStaysInTheExcess) {
  const auto parts = phase_parts(over(20, 20000, 48, [&](double f) {
    const Complex s(0.0, f / 600.0);
    return high_pass2(f, 40.0, 0.7) * (1.0 - s) / (1.0 + s);
  }));
  ASSERT_TRUE(parts);
  const FrequencyAxis axis = FrequencyAxis::logarithmic(20, 20000, 48);
  double low = 0.0;
  double high = 0.0;
  for (std::size_t i = 0; i < axis.size(); ++i) {
    if (std::abs(axis[i] - 60.0) < 1.0) low = parts->excess_deg[i];
    if (std::abs(axis[i] - 6000.0) < 60.0) high = parts->excess_deg[i];
  }
  const double turned = std::abs(std::remainder(low - high, 360.0));
  // 2 atan(f / 600): 11.4 degrees at 60 Hz, 168.6 at 6 kHz; the delay that is taken out bends both.
  EXPECT_GT(turned, 100.0);
}

TEST(PhaseParts, NothingIsSaidWithoutPhaseOrBand) {
  const Response whole = over(20, 20000, 48, [](double f) { return high_pass2(f, 100, 0.7); });
  std::vector<Complex> bare;
  for (std::size_t i = 0; i < whole.size(); ++i) bare.emplace_back(whole.magnitude(i), 0.0);
  EXPECT_FALSE(
      phase_parts(*Response::make(whole.axis(), bare, Quantity::kPressure, whole.valid(), false)));
  EXPECT_FALSE(phase_parts(over(1000, 1200, 96, [](double) { return Complex(1.0, 0.0); })));
}

TEST(GroupDelay, OfASecondOrderHighPassIsItsClosedForm) {
  const double f0 = 50.0;
  const double q = 0.9;
  const Response r = over(20, 2000, 96, [&](double f) { return high_pass2(f, f0, q); });
  const auto delay = group_delay_s(r);
  for (std::size_t i = 20; i + 20 < r.size(); i += 15) {
    const double x = r.axis()[i] / f0;
    const double want =
        (1.0 + x * x) / (q * (std::pow(1.0 - x * x, 2) + x * x / (q * q))) / (2.0 * kPi * f0);
    EXPECT_NEAR(delay[i], want, 0.02 * want + 2e-6) << r.axis()[i];
  }
}

// A woofer 24 mm behind a tweeter, 95 and 60 mm off the axis, at 1 m: ways by Pythagoras.
TEST(AcousticOffset, IsFoundWithinThreeMillimetres) {
  const double c = 343.2;
  for (const double behind : {0.024, 0.0, -0.01, 0.06}) {
    const double distance = 1.0;
    const double woofer_way = std::hypot(distance + behind, 0.095);
    const double tweeter_way = std::hypot(distance, 0.060);
    const auto woofer = phase_parts(over(220, 20000, 48, [&](double f) {
      return high_pass2(f, 45.0, 0.7) * low_pass2(f, 3000.0, 0.9) * low_pass2(f, 6000.0, 0.7) *
             later(f, (woofer_way - distance) / c);
    }));
    const auto tweeter = phase_parts(over(220, 20000, 48, [&](double f) {
      return -high_pass2(f, 900.0, 0.8) * low_pass2(f, 26000.0, 0.8) *
             later(f, (tweeter_way - distance) / c);
    }));
    ASSERT_TRUE(woofer && tweeter);
    const AcousticOffset offset = acoustic_offset(
        {woofer->delay_s, woofer->delay_half_width_s, 0.095},
        {tweeter->delay_s, tweeter->delay_half_width_s, 0.060}, distance, distance / c, c);
    EXPECT_NEAR(offset.behind_m, behind, 0.003);
    EXPECT_LE(std::abs(offset.behind_m - behind), offset.half_width_m);
    EXPECT_LT(offset.half_width_m, 0.012);
  }
}

TEST(Difference, IsTakenWhereBothAreValid) {
  const Response a = over(20, 20000, 48, [](double) { return Complex(2e-2, 0.0); });
  const Response b =
      over(100, 10000, 12, [](double f) { return Complex(1e-2 * (f < 1000 ? 1.0 : 2.0), 0.0); });
  const auto d = difference_of(a, b);
  ASSERT_TRUE(d);
  EXPECT_GE(d->frequency_hz.front(), 100.0);
  EXPECT_NEAR(d->level_db.front(), 6.02, 0.01);
  EXPECT_NEAR(d->level_db.back(), 0.0, 0.01);
  EXPECT_TRUE(d->half_width_db.empty()) << "nobody told a repeat error";
}

TEST(Difference, DeparturesAreTheTurnsOfACurve) {
  std::vector<double> hz;
  std::vector<double> y;
  for (double f = 100.0; f < 10000.0; f *= std::exp2(1.0 / 48.0)) {
    hz.push_back(f);
    y.push_back(2.0 * std::sin(2.0 * kPi * std::log2(f / 100.0) / 2.0));
  }
  const auto found = departures(hz, y, 1.0);
  ASSERT_GE(found.size(), 5U);
  EXPECT_NEAR(found[0].frequency_hz, 100.0 * std::sqrt(2.0), 3.0);
  EXPECT_GT(found[0].level_db, 1.5);
  EXPECT_NEAR(found[1].frequency_hz, 100.0 * std::exp2(1.5), 5.0);
  EXPECT_LT(found[1].level_db, -1.5);
  EXPECT_TRUE(departures(hz, std::vector<double>(hz.size(), 3.0), 1.0).empty());
}

TEST(Difference, AModelExplainsWhatItHasOfIt) {
  CurveDifference d;
  std::vector<double> model;
  for (double f = 200.0; f < 10000.0; f *= std::exp2(1.0 / 24.0)) {
    d.frequency_hz.push_back(f);
    const double edge = 2.0 * std::sin(2.0 * kPi * std::log2(f / 200.0));
    model.push_back(edge);
    d.level_db.push_back(edge + 3.0 + 0.5 * std::cos(9.0 * std::log2(f)));
  }
  const Explained e = explained_by(d, model);
  EXPECT_NEAR(e.total_db, std::hypot(2.0 / std::sqrt(2.0), 0.5 / std::sqrt(2.0)), 0.06);
  EXPECT_NEAR(e.left_db, 0.5 / std::sqrt(2.0), 0.03);
  EXPECT_NEAR(e.explained_db, 2.0 / std::sqrt(2.0), 0.06);
  std::size_t paired = 0;
  for (const auto& pair : e.pairs) paired += pair.predicted ? 1U : 0U;
  EXPECT_EQ(paired, e.pairs.size());
  // Against nothing the model explains nothing.
  EXPECT_NEAR(explained_by(d, std::vector<double>(model.size(), 0.0)).explained_db, 0.0, 1e-9);
}

TEST(StepResponse, IsTheRunningSumOfThePulse) {
  ImpulseResponse h;
  h.samples = {0.0, 0.0, 1.0, -0.5, 0.0, 0.0};
  h.zero_at = 2.0;
  const StepResponse step = step_response(h, -1.0, 1.0);
  ASSERT_EQ(step.value.size(), 6U);
  EXPECT_EQ(step.value[1], 0.0);
  EXPECT_EQ(step.value[2], 1.0);
  EXPECT_EQ(step.value[5], 0.5);
}

}  // namespace
}  // namespace lalometer
