// Parametric filters: R. Bristow-Johnson's cookbook formulae by their limits, and filters that are
// asked to undo what other filters did.
#include <cmath>

#include "acoustics/equaliser/equalise.h"
#include "support/support.h"

namespace lalometer {
namespace {

double at(const BandFilter& f, double hz, double rate = 48000.0) {
  return gain_db({f}, hz, rate);
}

TEST(Biquads, HaveTheGainsTheyAreNamedFor) {
  const BandFilter peak{BiquadKind::kPeaking, 1000.0, 4.5, 2.0};
  EXPECT_NEAR(at(peak, 1000.0), 4.5, 1e-9);
  EXPECT_NEAR(at(peak, 1.0), 0.0, 1e-3);
  EXPECT_NEAR(at(peak, 23999.0), 0.0, 1e-3);
  // Half the gain in dB one bandwidth's half away: Q is that of the cookbook, f0 / bandwidth in
  // octaves by sinh; far from half the rate the analogue relation holds.
  const double octaves = 2.0 / std::log(2.0) * std::asinh(1.0 / (2.0 * peak.q));
  EXPECT_NEAR(at(peak, 1000.0 * std::exp2(0.5 * octaves)), 2.25, 0.05);
  const BandFilter low{BiquadKind::kLowShelf, 200.0, -6.0, 0.7071};
  EXPECT_NEAR(at(low, 2.0), -6.0, 1e-3);
  EXPECT_NEAR(at(low, 200.0), -3.0, 1e-6);
  EXPECT_NEAR(at(low, 20000.0), 0.0, 1e-2);
  const BandFilter high{BiquadKind::kHighShelf, 4000.0, 3.0, 0.7071};
  EXPECT_NEAR(at(high, 20.0), 0.0, 1e-4);
  EXPECT_NEAR(at(high, 4000.0), 1.5, 1e-6);
  EXPECT_NEAR(at(high, 23990.0), 3.0, 1e-2);
}

std::vector<double> curve(const FrequencyAxis& axis, const std::vector<BandFilter>& made) {
  std::vector<double> level;
  for (const double f : axis.hz()) level.push_back(80.0 + gain_db(made, f, 48000.0));
  return level;
}

TEST(Equalised, UndoesTwoPeaksWithTwoFilters) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(20.0, 20000.0, 48.0);
  const std::vector<BandFilter> made = {{BiquadKind::kPeaking, 400.0, 4.0, 1.5},
                                        {BiquadKind::kPeaking, 3000.0, 3.0, 3.0}};
  const auto out =
      equalised(axis, curve(axis, made), std::vector<double>(axis.size(), 80.0), {}, {});
  EXPECT_LE(out.filters.size(), 3U);
  EXPECT_LT(out.deviation_after_db, 0.1);
  EXPECT_GT(out.deviation_before_db, 0.8);
  EXPECT_NEAR(out.filters.front().frequency_hz, 400.0, 20.0);
}

TEST(Equalised, KeepsItsLimits) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(20.0, 20000.0, 48.0);
  // Two near dips whose boosts would add up.
  const std::vector<BandFilter> made = {{BiquadKind::kPeaking, 800.0, -6.0, 1.0},
                                        {BiquadKind::kPeaking, 1300.0, -6.0, 1.0}};
  const auto out =
      equalised(axis, curve(axis, made), std::vector<double>(axis.size(), 80.0), {}, {});
  double most = 0.0;
  for (double f = 20.0; f < 22000.0; f *= 1.01)
    most = std::max(most, gain_db(out.filters, f, 48000.0));
  EXPECT_LE(most, 3.0 + 1e-2);
  for (const BandFilter& f : out.filters) EXPECT_LE(f.gain_db, 3.0 + 1e-9);
}

TEST(Equalised, NoSkirtLiftsWhatLiesBeyondItsRange) {
  // A baffle's step of 3 dB over a roll-off: a broad filter would lift the bass below the range.
  const FrequencyAxis axis = FrequencyAxis::logarithmic(20.0, 20000.0, 48.0);
  std::vector<double> level;
  for (const double f : axis.hz())
    level.push_back(80.0 - 3.0 / (1.0 + std::pow(f / 400.0, 2)) -
                    10.0 * std::log10(1.0 + std::pow(60.0 / f, 8)));
  EqualiseLimits limits;
  limits.from_hz = 90.0;
  limits.to_hz = 10000.0;
  const auto out = equalised(axis, level, std::vector<double>(axis.size(), 80.0), {}, limits);
  EXPECT_LT(out.deviation_after_db, 0.8 * out.deviation_before_db);
  for (double f = 20.0; f < 85.0; f *= 1.02) EXPECT_LT(gain_db(out.filters, f, 48000.0), 0.6) << f;
  for (double f = 11000.0; f < 20000.0; f *= 1.02)
    EXPECT_LT(gain_db(out.filters, f, 48000.0), 0.6) << f;
}

TEST(Equalised, LeavesAloneWhatItIsTold) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(20.0, 20000.0, 48.0);
  const std::vector<BandFilter> made = {{BiquadKind::kPeaking, 2000.0, -8.0, 3.0},
                                        {BiquadKind::kPeaking, 300.0, 4.0, 1.5}};
  const auto out = equalised(axis, curve(axis, made), std::vector<double>(axis.size(), 80.0),
                             {{1400.0, 2900.0, "it changes with the angle"}}, {});
  for (double f = 1500.0; f < 2700.0; f *= 1.02)
    EXPECT_LT(gain_db(out.filters, f, 48000.0), 0.5) << f;
  EXPECT_NEAR(gain_db(out.filters, 300.0, 48000.0), -4.0, 0.5);
  // Nothing to do: nothing is done.
  const auto flat = equalised(axis, std::vector<double>(axis.size(), 80.0),
                              std::vector<double>(axis.size(), 80.0), {}, {});
  EXPECT_TRUE(flat.filters.empty());
}

}  // namespace
}  // namespace lalometer
