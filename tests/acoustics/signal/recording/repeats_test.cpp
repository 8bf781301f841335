#include "acoustics/signal/recording/repeats.h"

#include "support/support.h"

namespace lalometer {
namespace {

// Repeats that differ by gain alone, with a deviation of 1 %: the mean of n has 1 % / sqrt(n).
TEST(Repeats, TellTheDeviationOfTheirMean) {
  const SweepSpec spec = *SweepSpec::make({20.0, 20000.0, 1.0, 48000.0});
  std::vector<double> sweep = exponential_sweep(spec);
  sweep.insert(sweep.begin(), 4800, 0.0);
  sweep.resize(sweep.size() + 9600, 0.0);
  const double gains[] = {0.99, 1.01, 0.99, 1.01};
  std::vector<std::vector<double>> repeats;
  for (const double gain : gains) {
    repeats.push_back(sweep);
    for (double& x : repeats.back()) x *= gain;
  }
  const RepeatSpread spread = spread_of_repeats(repeats, spec, 4800);
  EXPECT_EQ(spread.count, 4);
  ASSERT_GT(spread.frequency_hz.size(), 50U);
  // sqrt(sum of squares / (n - 1) / n) = 0.577 %; of a complex deviation half counts along.
  for (std::size_t i = 0; i < spread.relative.size(); ++i) {
    EXPECT_NEAR(spread.relative[i], 0.01 / std::sqrt(3.0) / std::sqrt(2.0), 1e-5);
    EXPECT_NEAR(spread.coherence[i], 1.0 - 1e-4, 1e-6);
  }
}

TEST(Repeats, OfNoiseAloneHaveLittleInCommon) {
  const SweepSpec spec = *SweepSpec::make({20.0, 20000.0, 1.0, 48000.0});
  std::vector<std::vector<double>> repeats;
  for (std::uint64_t seed = 1; seed <= 8; ++seed) {
    test::Normals normal(seed);
    repeats.emplace_back(62400);
    for (double& x : repeats.back()) x = normal();
  }
  const RepeatSpread spread = spread_of_repeats(repeats, spec, 4800);
  double mean = 0.0;
  for (const double c : spread.coherence) mean += c / static_cast<double>(spread.coherence.size());
  // Of n independent ones 1 / n.
  EXPECT_NEAR(mean, 0.125, 0.02);
}

}  // namespace
}  // namespace lalometer
