#include "acoustics/signal/checks/arrival.h"

#include "acoustics/signal/fft.h"
#include "support/support.h"

namespace lalometer {
namespace {

constexpr double kRate_hz = 48000.0;

/// Impulse response of a transfer function given over frequency, built exactly on the transform's
/// bins.
template <class Function>
ImpulseResponse impulse_of(Function h, std::size_t n = 8192) {
  const RealTransform transform(n);
  Spectrum bins(transform.bin_count());
  for (std::size_t k = 0; k < bins.size(); ++k)
    bins[k] = h(static_cast<double>(k) * kRate_hz / static_cast<double>(n));
  bins.back() = bins.back().real();
  Samples x(n);
  transform.inverse(bins, x);
  return {.samples = {x.begin(), x.end()},
          .sample_rate_hz = kRate_hz,
          .zero_at = 0.0,
          .excited = {10.0, 22000.0}};
}

std::complex<double> delay(double f, double samples) {
  return std::polar(1.0, -2.0 * kPi * f * samples / kRate_hz);
}

TEST(Arrival, FindsAFractionalDelayToATwentiethOfASample) {
  for (const double samples : {200.0, 200.3, 200.5, 731.77}) {
    const auto found = find_arrival(impulse_of([&](double f) { return delay(f, samples); }));
    ASSERT_TRUE(found.has_value());
    EXPECT_NEAR(found->time_s * kRate_hz, samples, 0.05);
    EXPECT_FALSE(found->first_reflection_s.has_value());
  }
}

// A low-passed pulse has its top late; the delay that is left when its own minimum phase is out is
// the true one.
TEST(Arrival, IsNotTheTopOfALowPassedPulse) {
  const auto low_passed = [](double f) {
    const std::complex<double> s(0.0, f / 3000.0);
    return delay(f, 400.0) / (1.0 + s * 1.4 + s * s);
  };
  const auto found = find_arrival(impulse_of(low_passed));
  ASSERT_TRUE(found.has_value());
  // The top itself stands about 48000 / (2 pi 3000) * 1.1 = 2.8 samples later. A magnitude says
  // nothing of what lies above half the rate, where the analogue low-pass goes on turning its
  // phase: that leaves part of a sample.
  EXPECT_NEAR(found->time_s * kRate_hz, 400.0, 1.0);
}

TEST(Arrival, TakesTheFirstPulseOfAnAllPassCrossover) {
  // Linkwitz-Riley second order with one driver inverted: (1 - s)/(1 + s), a negative pulse and a
  // positive tail.
  const auto all_pass = [](double f) {
    const std::complex<double> s(0.0, f / 2000.0);
    return delay(f, 300.0) * (1.0 - s) / (1.0 + s);
  };
  const auto found = find_arrival(impulse_of(all_pass));
  ASSERT_TRUE(found.has_value());
  EXPECT_NEAR(found->time_s * kRate_hz, 300.0, 0.5);
}

TEST(Arrival, FindsTheFirstReflection) {
  // Path difference 1.6 m: microphone and loudspeaker 1.2 m above the floor, 1 m apart (image
  // source).
  const double later = 1.6 / 343.0 * kRate_hz;
  const auto found = find_arrival(
      impulse_of([&](double f) { return delay(f, 140.0) + 0.4 * delay(f, 140.0 + later); }));
  ASSERT_TRUE(found.has_value());
  EXPECT_NEAR(found->time_s * kRate_hz, 140.0, 0.1);
  ASSERT_TRUE(found->first_reflection_s.has_value());
  EXPECT_NEAR(*found->first_reflection_s * kRate_hz, 140.0 + later, 1.0);
}

TEST(Arrival, SeesNoPulseInSilence) {
  const ImpulseResponse silence{.samples = std::vector<double>(4096, 0.0),
                                .sample_rate_hz = kRate_hz,
                                .zero_at = 0.0,
                                .excited = {}};
  EXPECT_FALSE(find_arrival(silence).has_value());
}

}  // namespace
}  // namespace lalometer
