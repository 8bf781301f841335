#include "acoustics/signal/checks/arrival.h"

#include "acoustics/signal/fft.h"
#include "support/support.h"

namespace lalometer {
namespace {

constexpr double kRate_hz = 48000.0;

/// Impulse response of a transfer function given over frequency, built exactly on the transform's
/// bins.
template <class Function>
ImpulseResponse impulse_of(Function h, std::size_t n = 8192, double rate_hz = kRate_hz) {
  const RealTransform transform(n);
  Spectrum bins(transform.bin_count());
  for (std::size_t k = 0; k < bins.size(); ++k)
    bins[k] = h(static_cast<double>(k) * rate_hz / static_cast<double>(n));
  bins.back() = bins.back().real();
  Samples x(n);
  transform.inverse(bins, x);
  return {.samples = {x.begin(), x.end()},
          .sample_rate_hz = rate_hz,
          .zero_at = 0.0,
          .excited = {10.0, 0.458 * rate_hz}};
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

/// Butterworth of any order, on s = jf / corner; low-pass. Poles on the unit circle.
std::complex<double> butterworth(int order, std::complex<double> s) {
  std::complex<double> h = 1.0;
  for (int k = 0; k < order; ++k) {
    const double angle = kPi * (2.0 * k + 1.0 + order) / (2.0 * order);
    h /= s - std::polar(1.0, angle);
  }
  return h;
}

struct Bass {
  double low_hz;
  int low_order;
  double high_hz;
  int high_order;
};

// The truth is the analogue filter: its impulse response begins at the delay, whatever its peak
// does (causality). Asked: a twentieth of the shortest period, or half a sample.
TEST(Arrival, OfABassDriverIsItsOnsetNotItsPeak) {
  const std::vector<Bass> drivers = {{120, 4, 35, 4},   {120, 4, 35, 2}, {80, 8, 20, 4},
                                     {300, 2, 45, 2},   {150, 3, 30, 6}, {1000, 4, 60, 2},
                                     {3000, 4, 300, 4}, {60, 2, 25, 2}};
  for (const Bass& d : drivers) {
    for (const double rate : {44100.0, 96000.0}) {
      const double at_s = 0.0083;
      const auto found = find_arrival(impulse_of(
          [&](double f) {
            const std::complex<double> s(0.0, f);
            return std::polar(1.0, -2.0 * kPi * f * at_s) * butterworth(d.low_order, s / d.low_hz) *
                   (f > 0.0 ? butterworth(d.high_order, d.high_hz / s) : 0.0);
          },
          131072, rate));
      ASSERT_TRUE(found.has_value());
      // Where the low-pass has fallen by 10 dB: 9 = (f / corner)^(2 order).
      const double top_hz = d.low_hz * std::pow(9.0, 0.5 / d.low_order);
      EXPECT_NEAR(found->time_s, at_s, std::max(0.05 / top_hz, 0.5 / rate))
          << d.low_hz << " Hz, order " << d.low_order << ", from " << d.high_hz << " Hz, " << rate;
      EXPECT_FALSE(found->first_reflection_s.has_value())
          << (found->first_reflection_s.value_or(0.0) - found->time_s) * 1e3 << " ms";
    }
  }
}

// A band-limited pulse swings after its top, by a tenth and more of it where the band is narrow:
// that is no reflection. One that is there, 6 dB below, is found among the swings.
TEST(Arrival, TheSwingsOfABassDriversPulseAreNoReflections) {
  for (const double low_hz : {60.0, 110.0, 187.0, 264.0, 536.0})
    for (const double octaves : {1.6, 2.5, 4.0})
      for (const bool reflected : {false, true}) {
        const double later_s = 4.0 / low_hz;
        const auto found = find_arrival(impulse_of(
            [&](double f) {
              const std::complex<double> s(0.0, f);
              const double high_hz = low_hz * std::exp2(-octaves);
              const auto copy =
                  reflected ? std::polar(0.5, -2.0 * kPi * f * later_s) : std::complex<double>(0.0);
              return std::polar(1.0, -2.0 * kPi * f * 0.0105) * (1.0 + copy) *
                     butterworth(2, s / low_hz) * butterworth(2, s / low_hz) *
                     (f > 0.0 ? butterworth(4, high_hz / s) : 0.0);
            },
            131072, 48000.0));
        ASSERT_TRUE(found.has_value());
        ASSERT_EQ(found->first_reflection_s.has_value(), reflected)
            << low_hz << " Hz, " << octaves << " octaves";
        if (reflected) {
          EXPECT_NEAR(*found->first_reflection_s - found->time_s, later_s, 0.06 / low_hz);
        }
      }
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
