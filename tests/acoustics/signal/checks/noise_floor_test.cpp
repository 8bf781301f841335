#include "acoustics/signal/checks/noise_floor.h"

#include <random>

#include "acoustics/signal/checks/gate.h"
#include "acoustics/signal/deconvolve.h"
#include "acoustics/signal/fft.h"
#include "acoustics/signal/sweep.h"
#include "support/support.h"

namespace lalometer {
namespace {

// The truth is noise itself: a recording of nothing but noise, deconvolved and gated, has on the
// mean the level that was foretold from a silence of the same noise.
TEST(NoiseFloor, ForetellsWhatAGateKeepsOfTheNoise) {
  const double rate = 48000.0;
  const auto spec = *SweepSpec::make({10.0, 22000.0, 1.4, rate});
  std::vector<double> reference(static_cast<std::size_t>(2.3 * rate), 0.0);
  const std::vector<double> sweep = exponential_sweep(spec);
  std::copy(sweep.begin(), sweep.end(), reference.begin() + 12000);
  std::mt19937_64 engine(3);
  std::normal_distribution<double> normal(0.0, 1e-3);
  const double gate_s = 0.01;
  const auto axis = FrequencyAxis::logarithmic(500.0, 10000.0, 3.0);
  std::vector<double> power(axis.size(), 0.0);
  std::vector<double> foretold(axis.size(), 0.0);
  constexpr int kRuns = 40;
  for (int run = 0; run < kRuns; ++run) {
    std::vector<double> noise(reference.size());
    for (double& x : noise) x = normal(engine);
    const auto density =
        noise_density(std::span(noise).first(12000), reference, rate, {10.0, 22000.0});
    ASSERT_TRUE(density.has_value());
    const ImpulseResponse h = deconvolve(noise, reference, rate, {10.0, 22000.0});
    const Gate gate{.arrival_s = 0.1, .length_s = gate_s, .lead_s = 1e-5, .tail = GateTail::kCut};
    const Response curve = gated_response(h, gate, axis, Quantity::kRatio);
    for (std::size_t i = 0; i < axis.size(); ++i) {
      power[i] += std::norm(curve.value(i)) / kRuns;
      foretold[i] += std::norm(value_at(*density, axis[i])) * gate_s / kRuns;
    }
  }
  double off_db = 0.0;
  for (std::size_t i = 0; i < axis.size(); ++i)
    off_db += 10.0 * std::log10(power[i] / foretold[i]) / static_cast<double>(axis.size());
  // The last quarter of the gate fades: it keeps 0.75 + 0.25 * 3/8 of the power, 0.74 dB less.
  EXPECT_NEAR(off_db, -0.74, 0.6);
}

TEST(NoiseFloor, NeedsASilenceOfFiftyMilliseconds) {
  const std::vector<double> x(48000, 1e-3);
  EXPECT_FALSE(noise_density(std::span(x).first(2000), x, 48000.0, {10.0, 22000.0}).has_value());
}

// A short sweep that begins high: 500 Hz to 22 kHz in 1.4 s, its fifth harmonic is 0.595 s ahead
// (T ln 5 / ln 44), more than a quarter of the recording.
TEST(Deconvolution, TellsTheFifthHarmonicOfAHighSweepFromLateTime) {
  const double rate = 48000.0;
  const auto spec = *SweepSpec::make({500.0, 22000.0, 1.4, rate});
  std::vector<double> reference(static_cast<std::size_t>(2.25 * rate), 0.0);
  const std::vector<double> sweep = exponential_sweep(spec);
  std::copy(sweep.begin(), sweep.end(), reference.begin() + 12000);
  std::vector<double> recording(reference.size());
  for (std::size_t i = 0; i < recording.size(); ++i) {
    const double x = reference[i];
    // Chebyshev's polynomial of fifth order makes the fifth harmonic alone; from 4 kHz on, where
    // it would come back below half the rate, it fades.
    const double t = (static_cast<double>(i) - 12000.0) / rate;
    const double played_hz = 500.0 * std::pow(44.0, t / 1.4);
    const double share = std::clamp((4400.0 - played_hz) / 1000.0, 0.0, 1.0);
    recording[i] = x + share * 0.1 * (16.0 * std::pow(x, 5) - 20.0 * std::pow(x, 3) + 5.0 * x);
  }
  const double lead_s = 1.4 * std::log(5.0) / std::log(44.0);
  const ImpulseResponse h = deconvolve(recording, reference, rate, {500.0, 22000.0}, 0.9);
  const auto energy = [&](double from_s, double to_s) {
    double sum = 0.0;
    for (std::size_t i = 0; i < h.samples.size(); ++i)
      if (h.time_s(i) >= from_s && h.time_s(i) < to_s) sum += h.samples[i] * h.samples[i];
    return sum;
  };
  EXPECT_GT(energy(-lead_s - 0.02, -lead_s + 0.02), 1e-4);
  EXPECT_LT(energy(0.3, 1.3), 1e-3 * energy(-lead_s - 0.02, -lead_s + 0.02));
}

}  // namespace
}  // namespace lalometer
