#include "acoustics/spectrum/bands.h"
#include "acoustics/spectrum/figures.h"
#include "acoustics/spectrum/response.h"
#include "support/support.h"

namespace lalometer {
namespace {

using test::curve_from;

TEST(FrequencyAxis, RefusesWhatDoesNotRiseAboveZero) {
  for (const std::vector<double>& bad :
       {std::vector<double>{}, {0.0, 1.0}, {2.0, 1.0}, {1.0, 1.0}, {1.0, std::nan("")}}) {
    EXPECT_FALSE(FrequencyAxis::make(bad).has_value());
  }
}

TEST(FrequencyAxis, LogarithmicReachesAnEndThatFallsOnAPoint) {
  const FrequencyAxis a = FrequencyAxis::logarithmic(20.0, 20480.0, 24.0);
  EXPECT_EQ(a.size(), 241U);
  EXPECT_NEAR(a.back(), 20480.0, 1e-6);
}

TEST(FrequencyAxis, BracketsInsideAndClampsOutside) {
  const FrequencyAxis a = *FrequencyAxis::make({10.0, 20.0, 40.0});
  EXPECT_EQ(a.bracket(5.0), 0U);
  EXPECT_EQ(a.bracket(20.0), 1U);
  EXPECT_EQ(a.bracket(30.0), 1U);
  EXPECT_EQ(a.bracket(99.0), 1U);
}

TEST(Response, RefusesUnequalSizesAndNaN) {
  const FrequencyAxis a = *FrequencyAxis::make({10.0, 20.0});
  EXPECT_FALSE(Response::make(a, {1.0}, Quantity::kRatio, {}, true).has_value());
  EXPECT_FALSE(Response::make(a, {1.0, std::nan("")}, Quantity::kRatio, {}, true).has_value());
}

TEST(Response, LevelOfOnePascalIs94Decibels) {
  const FrequencyAxis a = *FrequencyAxis::make({10.0, 20.0});
  const Response r = *Response::make(a, {1.0, {0.0, -1.0}}, Quantity::kPressure, {}, true);
  EXPECT_NEAR(r.level_db(0), 93.9794, 1e-4);
  EXPECT_NEAR(r.phase_deg(1), -90.0, 1e-12);
}

TEST(Resampled, IsExactForAPowerLawWithADelay) {
  const auto law = [](double f) {
    return std::polar(std::pow(f / 1000.0, 1.5), -0.3 * std::log(f));
  };
  const Response r = curve_from(law, Quantity::kRatio, 100.0, 10000.0, 6.0);
  const Response fine = resampled(r, FrequencyAxis::logarithmic(110.0, 9000.0, 48.0));
  for (std::size_t i = 0; i < fine.size(); ++i) {
    ASSERT_LT(std::abs(fine.value(i) - law(fine.axis()[i])),
              1e-12 * std::abs(law(fine.axis()[i])) + 1e-12);
  }
}

TEST(Resampled, ClaimsNothingBeyondTheCurve) {
  const Response r = curve_from([](double) { return 1.0; }, Quantity::kRatio, 100.0, 1000.0);
  const Response wide = resampled(r, FrequencyAxis::logarithmic(10.0, 10000.0, 3.0));
  EXPECT_NEAR(wide.valid().low_hz, 100.0, 1e-9);
  EXPECT_NEAR(wide.valid().high_hz, r.axis().back(), 1e-9);
  EXPECT_TRUE(std::isnan(value_at(r, 50.0).real()));
}

TEST(WithoutDelay, TakesTheFlightTimeOut) {
  const Response r = curve_from([](double f) { return std::polar(2.0, -2.0 * kPi * f * 0.0029); },
                                Quantity::kRatio);
  const Response flat = without_delay(r, 0.0029);
  for (std::size_t i = 0; i < flat.size(); ++i) ASSERT_LT(std::abs(flat.value(i) - 2.0), 1e-9);
}

TEST(UnwrappedPhase, HasNoJumps) {
  const Response r = curve_from([](double f) { return std::polar(1.0, -0.001 * f); },
                                Quantity::kRatio, 100.0, 20000.0, 96.0);
  const std::vector<double> phase = unwrapped_phase(r.values());
  for (std::size_t i = 0; i < phase.size(); ++i) ASSERT_NEAR(phase[i], -0.001 * r.axis()[i], 1e-9);
}

// IEC 61260-1:2014, base ten: exact mid-band frequencies and edges (from memory of its Annex; the
// formula is 5.2-5.5).
TEST(Bands, HaveTheExactFrequenciesOfIec61260) {
  const auto octaves = fractional_octave_bands(31.0, 17000.0, 1);
  ASSERT_EQ(octaves.size(), 10U);
  EXPECT_NEAR(octaves[0].centre_hz, 31.623, 1e-3);
  EXPECT_NEAR(octaves[5].centre_hz, 1000.0, 1e-9);
  EXPECT_NEAR(octaves[5].low_hz, 707.946, 1e-3);
  EXPECT_NEAR(octaves[5].high_hz, 1412.538, 1e-3);
  const auto thirds = fractional_octave_bands(900.0, 1300.0, 3);
  ASSERT_EQ(thirds.size(), 2U);
  EXPECT_NEAR(thirds[0].low_hz, 891.251, 1e-3);
  EXPECT_NEAR(thirds[0].high_hz, 1122.018, 1e-3);
  EXPECT_NEAR(thirds[1].centre_hz, 1258.925, 1e-3);
}

TEST(Bands, OfEvenNumberLieBesideTheReferenceFrequency) {
  const auto halves = fractional_octave_bands(500.0, 2000.0, 2);
  for (const Band& band : halves) EXPECT_GT(std::abs(band.centre_hz - 1000.0), 50.0);
  for (std::size_t i = 1; i < halves.size(); ++i)
    EXPECT_NEAR(halves[i].low_hz, halves[i - 1].high_hz, 1e-9);
}

TEST(MeanLevel, OfAStraightLineOverLogFrequencyIsItsMiddle) {
  const Response r = curve_from(
      [](double f) { return std::pow(10.0, std::log2(f / 1000.0) / 20.0); }, Quantity::kRatio);
  EXPECT_NEAR(*mean_level_db(r, 500.0, 2000.0), 0.0, 1e-9);
  EXPECT_NEAR(*mean_level_db(r, 1000.0, 4000.0), 1.0, 1e-9);
}

TEST(MeanLevel, IsNotGivenWhereTheCurveIsNotValid) {
  const Response r =
      curve_from([](double) { return 1.0; }, Quantity::kPressure).with_valid({400.0, 20000.0});
  EXPECT_FALSE(sensitivity_db(r).has_value());
  EXPECT_TRUE(mean_level_db(r, 500.0, 3000.0).has_value());
}

TEST(LevelSpread, IsReToTheMean) {
  const Response r =
      curve_from([](double f) { return f < 1000.0 ? 1.0 : 2.0; }, Quantity::kRatio, 100.0, 10000.0);
  const auto spread = level_spread(r, 100.0, 10000.0);
  ASSERT_FALSE(spread.has_value());  // the axis ends just below 10 kHz: the band is not covered
  const auto inner = level_spread(r, 200.0, 5000.0);
  ASSERT_TRUE(inner.has_value());
  EXPECT_NEAR(inner->above_db + inner->below_db, 6.0206, 1e-3);
}

}  // namespace
}  // namespace lalometer
