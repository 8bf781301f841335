#include "acoustics/signal/recording/recording_checks.h"

#include "acoustics/signal/recording/sweep_track.h"
#include "support/support.h"

namespace lalometer {
namespace {

constexpr double kRate_hz = 48000.0;
constexpr std::size_t kLead = 12000;

SweepSpec spec() {
  return *SweepSpec::make({10.0, 22000.0, 1.4, kRate_hz});
}

/// The sweep as a loopback brings it: latency, coupling capacitor, converter noise.
std::vector<double> loopback(std::uint64_t seed, double coupling_hz = 1.5) {
  const std::vector<double> sweep = faded_sweep(spec());
  std::vector<double> x(kLead + sweep.size() + 28800, 0.0);
  for (std::size_t i = 0; i < sweep.size(); ++i) x[kLead + 1387 + i] = 0.2 * sweep[i];
  const double keep = std::exp(-2.0 * kPi * coupling_hz / kRate_hz);
  double low = 0.0;
  test::Normals normal(seed);
  for (double& v : x) {
    low = keep * low + (1.0 - keep) * v;
    v += 1e-5 * normal() - low;
  }
  return x;
}

TEST(TrackSweep, FindsAnUnbrokenLoopbackContinuousWithItsLatency) {
  for (const std::uint64_t seed : {1U, 2U, 3U}) {
    const SweepTrack track = track_sweep(loopback(seed), spec(), kLead);
    EXPECT_TRUE(track.present);
    EXPECT_TRUE(track.continuous()) << track.slip_samples << " at " << track.slip_at_hz;
    EXPECT_NEAR(track.latency_samples, 1387.0, 0.2);
  }
}

TEST(TrackSweep, FindsEverySingleLostSample) {
  // From 15 Hz (0.08 s into the sweep) to 15 kHz (1.33 s).
  for (double at_s = 0.08; at_s < 1.33; at_s += 0.05) {
    std::vector<double> x = loopback(4);
    const auto at =
        static_cast<std::ptrdiff_t>(kLead + 1387) + static_cast<std::ptrdiff_t>(at_s * kRate_hz);
    x.erase(x.begin() + at);
    const SweepTrack track = track_sweep(x, spec(), kLead);
    EXPECT_FALSE(track.present && track.continuous()) << "lost at " << at_s << " s";
  }
}

TEST(TrackSweep, FindsLostAndDoubledBlocks) {
  for (const std::size_t count : {32U, 64U, 480U, 1024U}) {
    for (const double at_s : {0.3, 0.7, 1.1}) {
      const auto at =
          static_cast<std::ptrdiff_t>(kLead + 1387) + static_cast<std::ptrdiff_t>(at_s * kRate_hz);
      std::vector<double> lost = loopback(5);
      lost.erase(lost.begin() + at, lost.begin() + at + static_cast<std::ptrdiff_t>(count));
      EXPECT_FALSE(track_sweep(lost, spec(), kLead).continuous()) << count << " lost at " << at_s;
      std::vector<double> doubled = loopback(5);
      const std::vector<double> block(doubled.begin() + at,
                                      doubled.begin() + at + static_cast<std::ptrdiff_t>(count));
      doubled.insert(doubled.begin() + at, block.begin(), block.end());
      EXPECT_FALSE(track_sweep(doubled, spec(), kLead).continuous())
          << count << " doubled at " << at_s;
    }
  }
}

TEST(TrackSweep, SaysThatNoiseHoldsNoSweep) {
  std::vector<double> noise(110000);
  test::Normals normal(6);
  for (double& v : noise) v = 0.1 * normal();
  EXPECT_FALSE(track_sweep(noise, spec(), kLead).present);
}

TEST(Clipping, CountsSamplesAtTheRailOnly) {
  std::vector<double> sine(4800);
  for (std::size_t i = 0; i < sine.size(); ++i)
    sine[i] = 0.9 * std::sin(2.0 * kPi * 100.0 * static_cast<double>(i) / kRate_hz);
  EXPECT_EQ(find_clipping(sine).clipped_count, 0U);
  for (double& v : sine) v = std::clamp(v, -0.7, 0.7);
  const Clipping clipped = find_clipping(sine);
  EXPECT_GT(clipped.clipped_count, 1000U);
  EXPECT_DOUBLE_EQ(clipped.rail, 0.7);
}

TEST(Clipping, OfASlowCleanSineNearFullScaleIsNone) {
  std::vector<double> sine(48000);
  for (std::size_t i = 0; i < sine.size(); ++i)
    sine[i] = 0.95 * std::sin(2.0 * kPi * 10.0 * static_cast<double>(i) / kRate_hz);
  EXPECT_EQ(find_clipping(sine).clipped_count, 0U);
}

// An amplifier or a stage before the converter clips, then the converter's own noise comes on top.
TEST(Clipping, BeforeTheNoiseIsSeenTooAndSlowOrLoudSinesAreNot) {
  const SweepSpec s = spec();
  test::Normals normal(5);
  const auto noisy = [&](std::vector<double> x, double gain, double rail) {
    for (double& v : x) v = std::clamp(gain * v, -rail, rail) + 1e-4 * normal();
    return x;
  };
  const std::vector<double> sweep = faded_sweep(s);
  EXPECT_EQ(find_clipping(noisy(sweep, 0.9, 2.0)).clipped_count, 0U);
  for (const double rail : {0.7, 0.3}) {
    const Clipping found = find_clipping(noisy(sweep, 1.5 * rail, rail));
    EXPECT_GT(found.clipped_count, 5000U) << rail;
    EXPECT_NEAR(found.rail, rail, 0.01 * rail);
  }
  std::vector<double> slow(96000);
  for (std::size_t i = 0; i < slow.size(); ++i)
    slow[i] = std::sin(2.0 * kPi * 12.0 * static_cast<double>(i) / kRate_hz);
  EXPECT_EQ(find_clipping(noisy(slow, 0.9, 2.0)).clipped_count, 0U);
  // A gentle limit: nothing is flat.
  for (double& v : slow) v = std::tanh(1.5 * v);
  EXPECT_EQ(find_clipping(noisy(slow, 0.6, 2.0)).clipped_count, 0U);
}

// A loopback that is not plugged in: the last bits of a 16-bit converter stand still in turns.
TEST(Clipping, OfAnEmptyInputsLastBitIsNone) {
  test::Normals normal(11);
  std::vector<double> x(48000);
  double slow = 0.0;
  for (double& v : x) {
    slow = 0.97 * slow + 0.2 * normal();
    v = std::clamp(std::round(slow), -1.0, 1.0) / 32768.0;
  }
  EXPECT_EQ(find_clipping(x).clipped_count, 0U);
}

// White noise of rms s against a sweep of amplitude A: per bin the sweep's |X|^2 = A^2 L/(4 f) fs^2
// (stationary phase) against s^2 times the samples of the window.
TEST(BandSnr, EqualsTheStationaryPhaseFigure) {
  const SweepSpec s = spec();
  std::vector<double> x = faded_sweep(s);
  x.insert(x.begin(), kLead, 0.0);
  test::Normals normal(9);
  for (double& v : x) v = 0.2 * v + 1e-4 * normal();
  const auto bands = band_snr(std::span(x).first(kLead), std::span(x).subspan(kLead), s, 0.02);
  ASSERT_GE(bands.size(), 8U);
  for (const BandSnr& band : bands) {
    if (band.centre_hz < 60.0) continue;
    const double signal = 0.04 * s.rate_s() / 4.0 /
                          (band.centre_hz / std::sqrt(2.0) * std::sqrt(2.0)) * kRate_hz * kRate_hz;
    const double want = 10.0 * std::log10(signal * 1.04 / (1e-8 * 0.02 * kRate_hz));
    EXPECT_NEAR(band.snr_db, want, 1.5)
        << band.centre_hz;  // 60 Hz octave: 11 independent bins, 1.3 dB each
  }
}

TEST(ConstantRun, IsTheLongest) {
  EXPECT_EQ(longest_constant_run(std::vector<double>{}), 0U);
  EXPECT_EQ(longest_constant_run(std::vector<double>{1, 2, 2, 2, 3, 3}), 3U);
}

// Blocks of 1024 are looked at one by one: a top on either side of a seam, the first of two equals,
// and a length that is no multiple of anything.
TEST(Loudest, IsTheFirstOfTheLargestWithTheWholeEnergy) {
  std::vector<double> x(2077, 0.5);
  x[1024] = -3.0;
  x[2070] = 3.0;
  const Loudest found = loudest_of(x);
  EXPECT_EQ(found.at, 1024U);
  EXPECT_DOUBLE_EQ(found.magnitude, 3.0);
  EXPECT_NEAR(found.energy, 18.0 + 2075.0 * 0.25, 1e-9);
  EXPECT_EQ(loudest_of({}).magnitude, 0.0);
}

}  // namespace
}  // namespace lalometer
