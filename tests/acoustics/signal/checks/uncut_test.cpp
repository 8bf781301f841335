#include "acoustics/signal/checks/uncut.h"

#include <random>

#include "acoustics/signal/deconvolve.h"
#include "acoustics/signal/fft.h"
#include "base/constants.h"
#include "support/support.h"

namespace lalometer {
namespace {

constexpr double kRate = 48000.0;

/// An impulse response on a ring, from its spectrum in a band; nothing outside it, as a sweep
/// leaves it.
ImpulseResponse banded(const std::function<std::complex<double>(double)>& law, double low_hz,
                       double high_hz, double delay_s, std::size_t n = 131072) {
  const RealTransform transform(n);
  Spectrum bins(transform.bin_count(), 0.0);
  for (std::size_t k = 1; k + 1 < bins.size(); ++k) {
    const double f = static_cast<double>(k) * kRate / static_cast<double>(n);
    if (f >= low_hz && f <= high_hz) bins[k] = law(f) * std::polar(1.0, -2.0 * kPi * f * delay_s);
  }
  Samples time(n);
  transform.inverse(bins, time);
  const std::size_t before = n / 4;
  std::rotate(time.begin(), time.end() - static_cast<std::ptrdiff_t>(before), time.end());
  return {.samples = {time.begin(), time.end()},
          .sample_rate_hz = kRate,
          .zero_at = static_cast<double>(before),
          .excited = {low_hz, high_hz}};
}

std::complex<double> bass(double f) {
  const std::complex<double> u(0.0, f / 35.0);
  return u * u / (u * u + u / 0.8 + 1.0);
}

double worst_db(const Response& r, double low_hz, double high_hz) {
  double worst = 0.0;
  for (std::size_t i = 0; i < r.size(); ++i) {
    const double f = r.axis()[i];
    if (f >= low_hz && f <= high_hz)
      worst = std::max(worst, std::abs(20.0 * std::log10(r.magnitude(i) / std::abs(bass(f)))));
  }
  return worst;
}

// A band that ends sharply at 8 Hz rings over the whole record; the window over its early half
// takes nothing of the bass with it.
TEST(UncutSpectrum, ASharpBandEdgeAndAWindowLeaveTheBassAlone) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(10.0, 15000.0, 48.0);
  for (const double lead_s : {0.0, 0.06, 0.13, 0.4}) {
    const UncutSpectrum spectrum = uncut_spectrum(banded(bass, 8.0, 20000.0, 0.004), 0.004, lead_s);
    const Response r = response_on(spectrum, 0.004, axis, 0, Quantity::kRatio);
    EXPECT_LT(worst_db(r, 10.0, 15000.0), 0.03) << "lead " << lead_s;
    for (std::size_t i = 0; i < r.size(); ++i)
      ASSERT_NEAR(std::arg(r.value(i) / bass(axis[i])), 0.0, 0.02) << axis[i];
    EXPECT_EQ(r.valid().low_hz, 8.0);
  }
}

// What stands a second harmonic's lead ahead of the arrival is no part of the curve.
TEST(UncutSpectrum, WhatStandsWellBeforeTheArrivalIsLeftOut) {
  ImpulseResponse h = banded(bass, 8.0, 20000.0, 0.004);
  const auto ahead = static_cast<std::size_t>(h.zero_at + (0.004 - 0.13) * kRate);
  const double peak = 0.05 * *std::max_element(h.samples.begin(), h.samples.end());
  // A second harmonic has nothing below twice the sweep's start: a burst that rises and falls.
  for (std::size_t i = 0; i < 400; ++i) {
    const double t = static_cast<double>(i);
    h.samples[ahead + i] +=
        peak * (0.5 - 0.5 * std::cos(2.0 * kPi * t / 400.0)) * std::cos(0.3 * t);
  }
  const FrequencyAxis axis = FrequencyAxis::logarithmic(10.0, 15000.0, 48.0);
  const auto read = [&](double lead_s) {
    return response_on(uncut_spectrum(h, 0.004, lead_s), 0.004, axis, 0, Quantity::kRatio);
  };
  EXPECT_LT(worst_db(read(0.13), 10.0, 15000.0), 0.03);
  EXPECT_GT(worst_db(read(0.0), 10.0, 15000.0), 0.5) << "it would be seen otherwise";
}

// Phase zero is where it is asked for, whatever the arrival was found to be.
TEST(UncutSpectrum, PhaseZeroIsAMatterOfReading) {
  const ImpulseResponse h = banded(bass, 8.0, 20000.0, 0.0051);
  const FrequencyAxis axis = FrequencyAxis::logarithmic(20.0, 15000.0, 24.0);
  const Response exact =
      response_on(uncut_spectrum(h, 0.0051, 0.13), 0.0051, axis, 0, Quantity::kRatio);
  const Response off =
      response_on(uncut_spectrum(h, 0.0053, 0.13), 0.0051, axis, 0, Quantity::kRatio);
  for (std::size_t i = 0; i < axis.size(); ++i) {
    ASSERT_NEAR(std::arg(exact.value(i) / bass(axis[i])), 0.0, 0.02) << axis[i];
    ASSERT_NEAR(std::abs(off.value(i) / exact.value(i) - 1.0), 0.0, 0.02) << axis[i];
  }
}

// A microphone's noise at the lowest lines must not be continued into a mountain below them.
TEST(UncutSpectrum, NoiseInTheLowestLinesStaysThere) {
  std::mt19937 engine(3);
  std::normal_distribution<double> normal;
  const auto noisy = [&](double f) {
    return bass(f) + 0.02 * std::complex<double>(normal(engine), normal(engine));
  };
  const Response r =
      response_on(uncut_spectrum(banded(noisy, 8.0, 20000.0, 0.004), 0.004, 0.13), 0.004,
                  FrequencyAxis::logarithmic(25.0, 15000.0, 48.0), 6, Quantity::kRatio);
  EXPECT_LT(worst_db(r, 25.0, 15000.0), 0.35) << "a twentieth of the level there, averaged";
}

}  // namespace
}  // namespace lalometer
