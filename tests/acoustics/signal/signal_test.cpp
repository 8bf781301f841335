#include "acoustics/signal/fft.h"
#include "acoustics/signal/minimum_phase.h"
#include "acoustics/signal/sweep.h"
#include "acoustics/signal/windows.h"
#include "support/support.h"

namespace lalometer {
namespace {

using test::expect_near;

// Reference: SciPy 1.10.1, scipy.signal.windows, sym=True (tests/reference/spectrum.py).
TEST(Windows, EqualScipysSymmetricForms) {
  expect_near(hann(7), std::vector{0.0, 0.25, 0.75, 1.0, 0.75, 0.25, 0.0}, 1e-15);
  expect_near(blackman_harris(9),
              std::vector{6.0000000000001025e-05, 0.021735837018679628, 0.21747000000000008,
                          0.6957641629813205, 1.0, 0.6957641629813205, 0.21747000000000008,
                          0.021735837018679628, 6.0000000000001025e-05},
              1e-14);
  expect_near(tukey(11, 0.5),
              std::vector{0.0, 0.3454915028125263, 0.9045084971874738, 1.0, 1.0, 1.0, 1.0, 1.0,
                          0.9045084971874736, 0.34549150281252616, 0.0},
              1e-14);
}

TEST(Windows, OfOneSampleIsOne) {
  EXPECT_EQ(hann(1), std::vector{1.0});
  EXPECT_EQ(tukey(3, 0.0), (std::vector{1.0, 1.0, 1.0}));
}

TEST(Windows, FallingHalfHannIsHalfInTheMiddleAndClamped) {
  EXPECT_DOUBLE_EQ(falling_half_hann(0.5), 0.5);
  EXPECT_EQ(falling_half_hann(-1.0), 1.0);
  EXPECT_EQ(falling_half_hann(2.0), 0.0);
}

// Reference: scipy.fft.rfft, SciPy 1.10.1, odd length 15 (tests/reference/spectrum.py).
TEST(Transform, EqualsScipysAtAnOddLength) {
  std::vector<double> x;
  for (int n = 0; n < 15; ++n) x.push_back(std::sin(0.3 * n * n) + 0.1 * n);
  const std::complex<double> want[] = {{10.085089297940405, 0.0},
                                       {1.5107359094641635, 0.6478372200264855},
                                       {2.5686235527536057, 2.5094376480413674},
                                       {-3.444621423957165, 1.7792695844514608},
                                       {-1.8687561436736462, 0.9055666541350917},
                                       {-3.5399130074574177, 2.5350707918931565},
                                       {2.026997656691656, 0.5492186513291208},
                                       {-2.295611192791399, -2.6837933989807183}};
  const Spectrum got = real_spectrum(x, 15);
  ASSERT_EQ(got.size(), 8U);
  for (std::size_t k = 0; k < 8; ++k) EXPECT_LT(std::abs(got[k] - want[k]), 1e-13) << "bin " << k;
}

TEST(Transform, InverseOfForwardIsTheSignal) {
  test::Normals normal(7);
  for (const std::size_t n : {1U, 2U, 15U, 96U, 1000U}) {
    const RealTransform transform(n);
    Samples x(n);
    for (double& v : x) v = normal();
    const Samples original = x;
    Spectrum bins(transform.bin_count());
    transform.forward(x, bins);
    EXPECT_EQ(x, original) << "forward must keep its input";
    transform.inverse(bins, x);
    expect_near(std::span(x), std::span(original), 1e-12);
  }
}

TEST(Transform, KeepsTheEnergyByParseval) {
  test::Normals normal(8);
  std::vector<double> x(64);
  double energy = 0.0;
  for (double& v : x) {
    v = normal();
    energy += v * v;
  }
  const Spectrum bins = real_spectrum(x, 64);
  double spectral = std::norm(bins[0]) + std::norm(bins[32]);
  for (std::size_t k = 1; k < 32; ++k) spectral += 2.0 * std::norm(bins[k]);
  EXPECT_NEAR(spectral / 64.0, energy, 1e-12 * energy);
}

TEST(Transform, FastLengthsAreTheSmallestWithSmallFactors) {
  for (std::size_t n = 1; n < 3000; ++n) {
    std::size_t want = n;
    for (;; ++want) {
      std::size_t rest = want;
      for (const std::size_t p : {2U, 3U, 5U, 7U}) {
        while (rest % p == 0) rest /= p;
      }
      if (rest == 1) break;
    }
    ASSERT_EQ(fast_length(n), want) << "for " << n;
  }
}

// Closed form: 1 + a z^-1 with |a| < 1 is minimum phase, so its own spectrum must come back.
TEST(MinimumPhase, RecoversAFirstOrderZero) {
  constexpr std::size_t kBins = 513;
  std::vector<double> magnitude(kBins);
  std::vector<std::complex<double>> want(kBins);
  for (std::size_t k = 0; k < kBins; ++k) {
    want[k] = 1.0 + 0.7 * std::polar(1.0, -kPi * static_cast<double>(k) / 512.0);
    magnitude[k] = std::abs(want[k]);
  }
  const Spectrum got = minimum_phase(magnitude);
  for (std::size_t k = 0; k < kBins; ++k)
    ASSERT_LT(std::abs(got[k] - want[k]), 1e-9) << "bin " << k;
}

SweepSpec sweep(double start, double stop, double duration, double rate = 48000.0) {
  return *SweepSpec::make({start, stop, duration, rate});
}

TEST(SweepSpec, RejectsStopAboveNyquist) {
  const auto spec = SweepSpec::make({20.0, 24001.0, 1.0, 48000.0});
  ASSERT_FALSE(spec.has_value());
  EXPECT_NE(spec.error().message.find("48002"), std::string::npos) << spec.error().message;
}

TEST(SweepSpec, RejectsImpossibleRanges) {
  EXPECT_FALSE(SweepSpec::make({0.0, 100.0, 1.0, 48000.0}).has_value());
  EXPECT_FALSE(SweepSpec::make({200.0, 100.0, 1.0, 48000.0}).has_value());
  EXPECT_FALSE(SweepSpec::make({20.0, 100.0, 0.0, 48000.0}).has_value());
  EXPECT_FALSE(SweepSpec::make({20.0, std::nan(""), 1.0, 48000.0}).has_value());
}

// Novak, Lotton, Simon 2015, eq. (24): f1 L is a whole number.
TEST(SweepSpec, SynchronisedFormStartsEveryHarmonicInPhase) {
  const auto spec = SweepSpec::make_synchronised({10.0, 22000.0, 1.4, 48000.0});
  ASSERT_TRUE(spec.has_value());
  const double turns = spec->start_hz() * spec->rate_s();
  EXPECT_NEAR(turns, std::round(turns), 1e-9);
  EXPECT_GE(spec->duration_s(), 1.4 - 1e-9);
}

TEST(Sweep, RunsFromStartToStop) {
  const SweepSpec spec = sweep(100.0, 10000.0, 2.0);
  EXPECT_NEAR(sweep_frequency_hz(spec, 0.0), 100.0, 1e-9);
  EXPECT_NEAR(sweep_frequency_hz(spec, 1.0), 1000.0, 1e-6);
  EXPECT_NEAR(sweep_frequency_hz(spec, 2.0), 10000.0, 1e-6);
  EXPECT_NEAR(sweep_time_s(spec, 1000.0), 1.0, 1e-12);
  const std::vector<double> x = exponential_sweep(spec);
  EXPECT_EQ(x.size(), 96000U);
  EXPECT_EQ(x[0], 0.0);
  // Zero crossings in the last 10 ms: 10 kHz falls by 2.3 % per 10 ms there (L = 0.434 s), so 197.7
  // of 200.
  int crossings = 0;
  for (std::size_t n = x.size() - 480; n + 1 < x.size(); ++n)
    crossings += x[n] * x[n + 1] < 0.0 ? 1 : 0;
  EXPECT_NEAR(crossings, 197.7, 2.0);
}

// Farina 2000, eq. (14): T ln N / ln(f2/f1). Ten octaves in 10 s: one octave a second, so the
// second harmonic leads by 1 s.
TEST(Sweep, SecondHarmonicLeadsByTheTimeOfAnOctave) {
  const SweepSpec spec = sweep(20.0, 20480.0, 10.0);
  EXPECT_NEAR(harmonic_lead_s(spec, 2), 1.0, 1e-12);
  EXPECT_NEAR(harmonic_lead_s(spec, 3), std::log2(3.0), 1e-12);
}

TEST(Sweep, FadesReachZeroAndLeaveTheMiddle) {
  std::vector<double> ones(100, 1.0);
  apply_fades(ones, 10, 20);
  EXPECT_EQ(ones[0], 0.0);
  EXPECT_EQ(ones[99], 0.0);
  EXPECT_EQ(ones[50], 1.0);
  EXPECT_DOUBLE_EQ(ones[5], 0.5);
}

// Farina 2000, section 3: sweep convolved with its inverse is a pulse whose spectrum is flat in the
// band.
TEST(Sweep, TimesItsInverseIsFlatWithinATenthOfADecibelInMidBand) {
  const SweepSpec spec = sweep(20.0, 20000.0, 2.0);
  const std::vector<double> x = exponential_sweep(spec);
  const std::vector<double> inverse = inverse_sweep(spec);
  const std::size_t n = fast_length(x.size() + inverse.size());
  const Spectrum a = real_spectrum(x, n);
  const Spectrum b = real_spectrum(inverse, n);
  const double step = 48000.0 / static_cast<double>(n);
  // The unfaded ends ripple; a power mean over a sixth of an octave shows the level.
  for (const double f : {200.0, 1000.0, 5000.0}) {
    double sum = 0.0;
    int count = 0;
    for (auto k = static_cast<std::size_t>(f * 0.94 / step);
         k < static_cast<std::size_t>(f * 1.06 / step); ++k) {
      sum += std::norm(a[k] * b[k]);
      ++count;
    }
    EXPECT_NEAR(10.0 * std::log10(sum / count), 0.0, 0.1) << f << " Hz";
  }
}

}  // namespace
}  // namespace lalometer
