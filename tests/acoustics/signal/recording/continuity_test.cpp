#include "acoustics/signal/recording/continuity.h"

#include "acoustics/signal/fft.h"
#include "support/support.h"

namespace lalometer {
namespace {

constexpr double kRate_hz = 48000.0;
constexpr std::size_t kLead = 12000;

SweepSpec spec() {
  return *SweepSpec::make({10.0, 22000.0, 1.4, kRate_hz});
}

/// A sweep through a fourth-order high-pass at 45 Hz, an all-pass at 2 kHz (a crossover), 2.9 ms of
/// flight and two reflections, with noise 54 dB below its level.
/// @param top_hz  a subwoofer's low-pass of fourth order; 0: none.
std::vector<double> recording(std::uint64_t seed, double top_hz = 0.0) {
  std::vector<double> x = exponential_sweep(spec());
  x.insert(x.begin(), kLead, 0.0);
  x.resize(x.size() + 28800, 0.0);
  const std::size_t size = x.size();
  const RealTransform transform(fast_length(size + 24000) / 2 * 2);
  Spectrum bins = real_spectrum(x, transform.size());
  for (std::size_t k = 0; k < bins.size(); ++k) {
    const double f = static_cast<double>(k) * kRate_hz / static_cast<double>(transform.size());
    const std::complex<double> s(0.0, f / 45.0);
    const std::complex<double> w(0.0, f / 2000.0);
    const auto late = [&](double t_s) { return std::polar(1.0, -2.0 * kPi * f * t_s); };
    const auto box =
        s * s * s * s / (s * s * s * s + 2.6 * s * s * s + 3.4 * s * s + 2.6 * s + 1.0);
    const std::complex<double> v(0.0, top_hz > 0.0 ? f / top_hz : 0.0);
    bins[k] /= (1.0 + 0.765 * v + v * v) * (1.0 + 1.848 * v + v * v);
    bins[k] *= 0.3 * box * (1.0 - w) / (1.0 + w) * late(0.0029) *
               (1.0 + 0.5 * late(0.0047) + 0.4 * late(0.011));
  }
  Samples y(transform.size());
  transform.inverse(bins, y);
  std::vector<double> out(y.begin(), y.begin() + static_cast<std::ptrdiff_t>(size));
  test::Normals normal(seed);
  for (double& v : out) v += 4e-4 * normal();
  return out;
}

std::ptrdiff_t index_at(double frequency_hz) {
  return static_cast<std::ptrdiff_t>(kLead + 139) +
         static_cast<std::ptrdiff_t>(sweep_time_s(spec(), frequency_hz) * kRate_hz);
}

TEST(SweepBreak, IsNotSeenInASoundRecording) {
  for (const std::uint64_t seed : {1U, 2U, 3U, 4U, 5U}) {
    const auto found = find_sweep_break(recording(seed), spec(), kLead);
    EXPECT_FALSE(found.has_value()) << found->at_hz;
    // Of a subwoofer nothing but noise is heard from 1 kHz on: it arrives at no time.
    const auto sub = find_sweep_break(recording(seed, 110.0), spec(), kLead);
    EXPECT_FALSE(sub.has_value()) << sub->at_hz;
  }
}

TEST(SweepBreak, IsSeenWhereSamplesAreLostOrDoubled) {
  // Not where the reflections of this recording nearly cancel (330 Hz): there a short break drowns
  // in the noise.
  for (const double f : {60.0, 450.0, 900.0, 3100.0, 9000.0}) {
    for (const std::ptrdiff_t count : {16, 64, 480}) {
      std::vector<double> lost = recording(6);
      lost.erase(lost.begin() + index_at(f), lost.begin() + index_at(f) + count);
      const auto found = find_sweep_break(lost, spec(), kLead);
      ASSERT_TRUE(found.has_value()) << count << " lost at " << f;
      EXPECT_NEAR(std::log2(found->at_hz / f), 0.0, 0.5);
      std::vector<double> doubled = recording(6);
      const std::vector<double> block(doubled.begin() + index_at(f) - count,
                                      doubled.begin() + index_at(f));
      doubled.insert(doubled.begin() + index_at(f), block.begin(), block.end());
      EXPECT_TRUE(find_sweep_break(doubled, spec(), kLead).has_value())
          << count << " doubled at " << f;
    }
  }
}

// 48 samples are one period at 1 kHz: the waveform hardly breaks, but all that follows comes a
// millisecond early.
TEST(SweepBreak, OfAWholePeriodIsSeenByTheStepInArrival) {
  std::vector<double> lost = recording(7);
  lost.erase(lost.begin() + index_at(1000.0), lost.begin() + index_at(1000.0) + 48);
  const auto found = find_sweep_break(lost, spec(), kLead);
  ASSERT_TRUE(found.has_value());
  EXPECT_NEAR(std::log2(found->at_hz / 1000.0), 0.0, 0.6);
}

TEST(SweepBreak, IsSeenWhereAStretchIsSilent) {
  std::vector<double> silent = recording(8);
  std::fill_n(silent.begin() + index_at(700.0), 100, 0.0);
  EXPECT_TRUE(find_sweep_break(silent, spec(), kLead).has_value());
}

TEST(SweepBreak, IsNotMadeOutOfClipping) {
  std::vector<double> clipped = recording(9);
  // Full scale is 1: a converter's rail at 0.8 of what the loudest part would need.
  const double loudest = *std::max_element(clipped.begin(), clipped.end());
  for (double& v : clipped) v = std::clamp(v * 1.25 / loudest, -1.0, 1.0);
  EXPECT_FALSE(find_sweep_break(clipped, spec(), kLead).has_value());
  clipped.erase(clipped.begin() + index_at(1000.0), clipped.begin() + index_at(1000.0) + 480);
  EXPECT_TRUE(find_sweep_break(clipped, spec(), kLead).has_value())
      << "10 ms are missing all the same";
}

// A loopback has little noise: four samples lost at 30 Hz turn the phase by a degree, and are seen.
TEST(SweepKink, OfAFewSamplesAtALowFrequencyIsSeenInALoopback) {
  const auto loopback = [] {
    std::vector<double> x(kLead + spec().sample_count() + 9600, 0.0);
    const std::vector<double> sweep = faded_sweep(spec());
    std::mt19937 engine(4);
    std::normal_distribution<double> normal;
    for (std::size_t i = 0; i < sweep.size(); ++i) x[kLead + i] = 0.3 * sweep[i];
    for (double& v : x) v += 1e-6 * normal(engine);
    return x;
  };
  EXPECT_FALSE(find_sweep_kink(loopback(), spec(), kLead, 1e-4, 0.002, 0.021).has_value());
  for (const double f : {30.0, 80.0, 2000.0}) {
    for (const std::ptrdiff_t count : {4, 16}) {
      std::vector<double> lost = loopback();
      lost.erase(lost.begin() + index_at(f), lost.begin() + index_at(f) + count);
      const auto found = find_sweep_kink(lost, spec(), kLead, 1e-4, 0.002, 0.021);
      ASSERT_TRUE(found.has_value()) << count << " lost at " << f;
      EXPECT_NEAR(std::log2(found->at_hz / f), 0.0, 0.5);
    }
  }
}

}  // namespace
}  // namespace lalometer
