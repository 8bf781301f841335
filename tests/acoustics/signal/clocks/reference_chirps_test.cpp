#include "acoustics/signal/clocks/reference_chirps.h"

#include <gtest/gtest.h>

#include "support/two_clocks.h"

namespace lalometer {
namespace {

using test::Recorder;
using test::Section;

constexpr double kSweep_s = 2.0;
constexpr double kLead_s = 1.8;
constexpr ChirpTrain kTrain{.count = 4};

/// A sweep among its chirps; `away_s` later than they, by another loudspeaker.
std::vector<double> take(const std::vector<Section>& speaker, const Recorder& r) {
  const auto sweep = test::sweep_of(20.0, 20000.0, kSweep_s);
  const auto chirps = test::chirps_around(kSweep_s);
  return test::recorded([&](double t) { return 0.3 * (sweep(t - kLead_s) + chirps(t - kLead_s)); },
                        6.0, speaker, r);
}

std::optional<HeardChirps> heard(const std::vector<double>& x, const Recorder& r) {
  // Where the sweep is heard is known to some milliseconds.
  return hear_chirps(x, r.rate_hz, kTrain, kSweep_s, (kLead_s + r.latency_s + 0.004) * r.rate_hz);
}

const std::vector<Section> kTwoWay = {{true, 60.0}, {false, 18000.0}};
const std::vector<Section> kTweeter = {{true, 1100.0}, {true, 1100.0}};

TEST(ReferenceChirps, TellDriftAndStart) {
  for (const Recorder& r : {Recorder{48000.0, 300.0, 0.0123, 0.001, 3},
                            {44100.0, -300.0, 0.02, 0.001, 4},
                            {96000.0, 7.0, 0.0, 0.003, 5}}) {
    for (const auto* speaker : {&kTwoWay, &kTweeter}) {
      const auto got = heard(take(*speaker, r), r);
      ASSERT_TRUE(got) << r.rate_hz;
      EXPECT_NEAR(got->drift_ppm, r.drift_ppm, std::max(0.1, got->uncertainty_ppm));
      EXPECT_LT(got->uncertainty_ppm, 1.0);
      EXPECT_FALSE(got->missing) << *got->missing;
      // The loudspeaker's own delay is in it: less than 20 us for these.
      const double told_s = got->sweep_at / (r.rate_hz * (1.0 + 1e-6 * r.drift_ppm));
      EXPECT_NEAR(told_s, kLead_s + r.latency_s, 20e-6) << r.rate_hz;
    }
  }
}

TEST(ReferenceChirps, NameSamplesThatAreLostOrDoubledInTheSweep) {
  const Recorder r{48000.0, -120.0, 0.011, 0.001, 8};
  const auto whole = take(kTwoWay, r);
  const auto at = static_cast<std::ptrdiff_t>(2.9 * r.rate_hz);
  for (const int lost : {1, 3, 20, -1, -3, -20}) {
    std::vector<double> x = whole;
    if (lost > 0)
      x.erase(x.begin() + at, x.begin() + at + lost);
    else
      x.insert(x.begin() + at, whole.begin() + at + lost, whole.begin() + at);
    const auto got = heard(x, r);
    ASSERT_TRUE(got && got->missing) << lost;
    EXPECT_NEAR(*got->missing, lost, 0.35);
    EXPECT_NEAR(got->drift_ppm, r.drift_ppm, 1.0);
  }
}

TEST(ReferenceChirps, AreNotHeardWhereNoneArePlayed) {
  const auto sweep = test::sweep_of(20.0, 20000.0, kSweep_s);
  const Recorder r{48000.0, 0.0, 0.011, 0.001, 9};
  const auto x =
      test::recorded([&](double t) { return 0.3 * sweep(t - kLead_s); }, 6.0, kTwoWay, r);
  EXPECT_FALSE(heard(x, r));
}

}  // namespace
}  // namespace lalometer
