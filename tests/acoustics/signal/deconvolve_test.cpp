#include "acoustics/signal/deconvolve.h"

#include "acoustics/signal/fft.h"
#include "acoustics/signal/sweep.h"
#include "support/support.h"

namespace lalometer {
namespace {

constexpr double kRate_hz = 48000.0;

std::vector<double> padded_sweep(std::size_t lead, std::size_t whole) {
  const auto spec = SweepSpec::make({10.0, 23000.0, 1.0, kRate_hz});
  const std::vector<double> sweep = faded_sweep(*spec);
  std::vector<double> x(whole, 0.0);
  std::copy(sweep.begin(), sweep.end(), x.begin() + static_cast<std::ptrdiff_t>(lead));
  return x;
}

std::vector<double> delayed(const std::vector<double>& x, std::size_t by, double gain) {
  std::vector<double> y(x.size(), 0.0);
  for (std::size_t i = by; i < x.size(); ++i) y[i] = gain * x[i - by];
  return y;
}

std::size_t top_of(const std::vector<double>& h) {
  std::size_t best = 0;
  for (std::size_t i = 0; i < h.size(); ++i) {
    if (std::abs(h[i]) > std::abs(h[best])) best = i;
  }
  return best;
}

TEST(Deconvolve, GivesADelayAsAPulseAtItsTime) {
  const std::vector<double> x = padded_sweep(2000, 60000);
  const ImpulseResponse h = deconvolve(delayed(x, 137, 0.5), x, kRate_hz, {10.0, 23000.0});
  const std::size_t top = top_of(h.samples);
  EXPECT_NEAR(h.time_s(top) * kRate_hz, 137.0, 1e-9);
  // The band 10 Hz .. 23 kHz of 24 kHz is 95.8 % of the whole: so high stands a band-limited unit
  // pulse.
  EXPECT_NEAR(h.samples[top], 0.5 * 22990.0 / 24000.0, 0.01);
}

TEST(Deconvolve, DoesNotSeeALatencyThatBothChannelsShare) {
  const std::vector<double> x = padded_sweep(2000, 60000);
  const ImpulseResponse direct = deconvolve(delayed(x, 50, 1.0), x, kRate_hz, {10.0, 23000.0});
  const ImpulseResponse late =
      deconvolve(delayed(x, 1437, 1.0), delayed(x, 1387, 1.0), kRate_hz, {10.0, 23000.0});
  EXPECT_EQ(direct.time_s(top_of(direct.samples)), late.time_s(top_of(late.samples)));
}

TEST(Deconvolve, IsLinearInTheRecording) {
  const std::vector<double> x = padded_sweep(500, 50000);
  const std::vector<double> a = delayed(x, 10, 0.3);
  const std::vector<double> b = delayed(x, 300, -0.2);
  std::vector<double> sum(a.size());
  for (std::size_t i = 0; i < a.size(); ++i) sum[i] = 2.0 * a[i] + b[i];
  const ImpulseResponse ha = deconvolve(a, x, kRate_hz, {10.0, 23000.0});
  const ImpulseResponse hb = deconvolve(b, x, kRate_hz, {10.0, 23000.0});
  const ImpulseResponse hs = deconvolve(sum, x, kRate_hz, {10.0, 23000.0});
  for (std::size_t i = 0; i < hs.samples.size(); i += 7) {
    ASSERT_NEAR(hs.samples[i], 2.0 * ha.samples[i] + hb.samples[i], 1e-10) << "at " << i;
  }
}

TEST(Deconvolve, LetsNothingThroughOutsideTheExcitedBand) {
  const auto spec = SweepSpec::make({200.0, 5000.0, 1.0, kRate_hz});
  std::vector<double> x = faded_sweep(*spec);
  x.resize(60000, 0.0);
  std::vector<double> y = x;
  test::Normals normal(3);
  for (double& v : y) v += 1e-3 * normal();
  const ImpulseResponse h = deconvolve(y, x, kRate_hz, {200.0, 5000.0});
  const Spectrum bins = real_spectrum(h.samples, h.samples.size());
  const double step = kRate_hz / static_cast<double>(h.samples.size());
  for (const double f : {50.0, 120.0, 8000.0, 20000.0}) {
    EXPECT_LT(std::abs(bins[static_cast<std::size_t>(f / step)]), 0.01) << f << " Hz";
  }
  EXPECT_NEAR(std::abs(bins[static_cast<std::size_t>(1000.0 / step)]), 1.0, 0.01);
}

// Farina 2000: the second harmonic of a squaring device stands T ln 2 / ln(f2/f1) before the linear
// response.
TEST(Deconvolve, PutsTheSecondHarmonicAtFarinasOffset) {
  const auto spec = SweepSpec::make({20.0, 11000.0, 1.0, kRate_hz});
  std::vector<double> x = faded_sweep(*spec);
  x.insert(x.begin(), 12000, 0.0);
  x.resize(84000, 0.0);
  std::vector<double> y = x;
  for (double& v : y) v += 0.1 * v * v;
  const ImpulseResponse h = deconvolve(y, x, kRate_hz, {20.0, 11000.0});
  const double want_s = -harmonic_lead_s(*spec, 2);
  double best = 0.0;
  double at_s = 0.0;
  for (std::size_t i = 0; i < h.samples.size(); ++i) {
    if (h.time_s(i) > -0.02 || h.time_s(i) < -0.2) continue;
    if (std::abs(h.samples[i]) > best) {
      best = std::abs(h.samples[i]);
      at_s = h.time_s(i);
    }
  }
  EXPECT_NEAR(at_s, want_s, 1.5 / kRate_hz);
}

TEST(Deconvolve, OfSilenceIsSilence) {
  const std::vector<double> silence(1000, 0.0);
  const ImpulseResponse h = deconvolve(silence, silence, kRate_hz, {10.0, 20000.0});
  for (const double v : h.samples) ASSERT_EQ(v, 0.0);
}

}  // namespace
}  // namespace lalometer
