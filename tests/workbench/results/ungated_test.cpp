#include <gmock/gmock.h>

#include <numeric>
#include <random>

#include "acoustics/signal/fft.h"
#include "acoustics/spectrum/bands.h"
#include "base/constants.h"
#include "exchange/audio_file.h"
#include "support/support.h"
#include "workbench/results/analysis.h"

/// Curves without a gate: near fields, bass, rooms. What is played and recorded is made here, by
/// closed forms; nothing of the practice bench is in it.
namespace lalometer {
namespace {

constexpr double kRate = 48000.0;
using System = std::function<std::complex<double>(double)>;

struct Sweep {
  double start_hz = 10.0;
  double stop_hz = 22000.0;
  double duration_s = 1.4;
  double lead_in_s = 0.25;
  double tail_s = 1.35;
};

/// sin(2 pi f1 L (exp(t / L) - 1)), L = T / ln(f2 / f1) (Farina 2000), with a fade of 5 ms at its
/// end.
std::vector<double> played(const Sweep& s) {
  std::vector<double> x(static_cast<std::size_t>((s.lead_in_s + s.duration_s + s.tail_s) * kRate));
  const double l = s.duration_s / std::log(s.stop_hz / s.start_hz);
  const auto lead = static_cast<std::size_t>(s.lead_in_s * kRate);
  const auto count = static_cast<std::size_t>(s.duration_s * kRate);
  for (std::size_t i = 0; i < count; ++i) {
    const double t = static_cast<double>(i) / kRate;
    const double fade = std::min(1.0, (s.duration_s - t) / 0.005);
    x[lead + i] = 0.4 * fade * std::sin(2.0 * kPi * s.start_hz * l * std::expm1(t / l));
  }
  return x;
}

/// Through a linear system, long enough that nothing comes round.
std::vector<double> through(const std::vector<double>& x, const System& system) {
  const std::size_t n = fast_length(2 * x.size()) / 2 * 2;
  Samples time(n, 0.0);
  std::copy(x.begin(), x.end(), time.begin());
  const RealTransform transform(n);
  Spectrum bins(transform.bin_count());
  transform.forward(time, bins);
  for (std::size_t k = 0; k < bins.size(); ++k)
    bins[k] *= system(static_cast<double>(k) * kRate / static_cast<double>(n));
  bins.back() = bins.back().real();
  transform.inverse(bins, time);
  return {time.begin(), time.begin() + static_cast<std::ptrdiff_t>(x.size())};
}

/// What the program makes of the two channels of a file.
Response read(const Sweep& s, const std::vector<double>& measured,
              const std::vector<double>& loopback, int smoothing = 0) {
  AnalysisInput in;
  in.take.form = RawForm::kSweepFile;
  in.take.name = "take";
  in.take.raw_name = "take.wav";
  in.take.setup = FarFieldSetup{{1.0, 0.0, 0.0, {}}, {}};
  in.take.conditions.loopback_channel = 1;
  in.take.conditions.stimulus = {s.start_hz, s.stop_hz, s.duration_s, s.lead_in_s, 0.4};
  in.raw = *audio_bytes({kRate, {measured, loopback}, ""}, AudioFormat::kWavFloat32);
  in.recipe.gated = false;
  in.recipe.smoothing = smoothing;
  auto analysis = analysed(in);
  EXPECT_TRUE(analysis.has_value()) << analysis.error().text();
  return std::move(analysis->curve);
}

double db(std::complex<double> value) {
  return 20.0 * std::log10(std::abs(value));
}

/// High-pass of second order in s / w0.
std::complex<double> high_pass(double f, double f0, double q) {
  const std::complex<double> u(0.0, f / f0);
  return u * u / (u * u + u / q + 1.0);
}

System flying(System system, double seconds = 1.0 / kSpeedOfSound20_m_s) {
  return [system = std::move(system), seconds](double f) {
    return system(f) * std::polar(1.0, -2.0 * kPi * f * seconds);
  };
}

double worst_db(const Response& curve, const System& truth, double low_hz, double high_hz) {
  double worst = 0.0;
  for (std::size_t i = 0; i < curve.size(); ++i) {
    const double f = curve.axis()[i];
    if (f < low_hz || f > high_hz) continue;
    EXPECT_TRUE(std::isfinite(db(curve.value(i)))) << f;
    worst = std::max(worst, std::abs(db(curve.value(i)) - db(truth(f))));
  }
  return worst;
}

const System kCone30 = [](double f) { return high_pass(f, 30.0, 0.707); };
// A vented box: fourth order, Butterworth, at 25 Hz.
const System kVented25 = [](double f) {
  return high_pass(f, 25.0, 0.5412) * high_pass(f, 25.0, 1.3066);
};

// Cutting the impulse at 0.5 s and dividing by a wire that was cut alike made this +1.8, +0.8,
// -0.5 dB at 12, 20, 40 Hz.
TEST(Ungated, BassIsThatOfTheWholeRecord) {
  for (const double start_hz : {5.0, 10.0}) {
    Sweep s;
    s.start_hz = start_hz;
    const auto x = played(s);
    for (const System& cone : {kCone30, kVented25}) {
      const Response curve = read(s, through(x, flying(cone)), x);
      EXPECT_LT(worst_db(curve, cone, 1.15 * start_hz, 20000.0), 0.05) << start_hz;
      EXPECT_LE(curve.valid().low_hz, 1.01 * start_hz);
    }
  }
}

TEST(Ungated, PhaseIsTheConesOwn) {
  const Sweep s;
  const auto x = played(s);
  const Response curve = read(s, through(x, flying(kVented25)), x);
  for (std::size_t i = 0; i < curve.size(); ++i) {
    const double f = curve.axis()[i];
    if (f < 12.0 || f > 500.0) continue;
    const double off = std::arg(curve.value(i) / kVented25(f)) * 180.0 / kPi;
    ASSERT_NEAR(off, 0.0, 1.0) << f;
  }
}

// Three per cent of second and two of third harmonic stand before the arrival and not in the curve.
TEST(Ungated, HarmonicsStayOut) {
  // Up to where the third harmonic still lies below half the rate: nothing folds back.
  Sweep s;
  s.stop_hz = 7500.0;
  const auto x = played(s);
  const auto first = static_cast<std::size_t>(s.lead_in_s * kRate);
  const auto end = first + static_cast<std::size_t>(s.duration_s * kRate);
  std::vector<double> bent = x;
  for (std::size_t i = first; i < end; ++i) {
    const double u = x[i] / 0.4;
    // cos 2a and sin 3a of a sine of 1, without what either adds to the rest and to the
    // fundamental.
    bent[i] += 0.4 * (0.06 * (u * u - 0.5) - 0.08 * (u * u * u - 0.75 * u));
  }
  const Response curve = read(s, through(bent, flying(kCone30)), x);
  EXPECT_LT(worst_db(curve, kCone30, 12.0, 7000.0), 0.1);
}

// A microphone in a room: what is smoothed is the power of every bin in the band, found here bin by
// bin from the room's own impulse response.
TEST(Ungated, ARoomIsSmoothedByAllThatLiesInEachBand) {
  for (const double rt_s : {0.2, 0.4, 1.0}) {
    std::mt19937 engine(5);
    std::normal_distribution<double> normal;
    std::vector<double> room(static_cast<std::size_t>(1.2 * rt_s * kRate));
    const auto first = static_cast<std::size_t>(kRate / kSpeedOfSound20_m_s);
    for (std::size_t i = 0; i < room.size(); ++i) {
      const double t = static_cast<double>(i) / kRate;
      room[i] = i < first ? 0.0 : 0.01 * std::exp(-6.91 * t / rt_s) * normal(engine);
    }
    room[first] += 1.0;
    Sweep s;
    s.tail_s = std::max(1.0, 1.3 * rt_s);
    const auto x = played(s);
    const std::size_t n = fast_length(x.size() + room.size()) / 2 * 2;
    const Spectrum h = real_spectrum(room, n);
    Samples time(n, 0.0);
    std::copy(x.begin(), x.end(), time.begin());
    const RealTransform transform(n);
    Spectrum bins(transform.bin_count());
    transform.forward(time, bins);
    for (std::size_t k = 0; k < bins.size(); ++k) bins[k] *= h[k];
    transform.inverse(bins, time);
    time.resize(x.size());
    const Response curve = read(s, {time.begin(), time.end()}, x, 6);
    // The truth on a grid four times as fine as the record's.
    const std::size_t fine = fast_length(4 * n) / 2 * 2;
    const Spectrum truth = real_spectrum(room, fine);
    double squares = 0.0;
    int count = 0;
    for (std::size_t i = 0; i < curve.size(); ++i) {
      const double f = curve.axis()[i];
      if (f < 100.0 || f > 10000.0) continue;
      const double step = kRate / static_cast<double>(fine);
      double power = 0.0;
      double weight = 0.0;
      for (auto k = static_cast<std::size_t>(std::ceil(f * std::exp2(-1.0 / 12.0) / step));
           static_cast<double>(k) * step <= f * std::exp2(1.0 / 12.0); ++k) {
        const double w = 1.0 / static_cast<double>(k);  // even over log f
        power += w * std::norm(truth[k]);
        weight += w;
      }
      squares += std::pow(db(curve.value(i)) - 10.0 * std::log10(power / weight), 2);
      ++count;
    }
    EXPECT_LT(std::sqrt(squares / count), 0.05) << "RT " << rt_s;
  }
}

TEST(Ungated, AnImpulseFileIsReadToItsEnd) {
  // A resonance of 20 Hz and Q 12 rings for longer than half a second.
  const System ringing = [](double f) {
    const std::complex<double> u(0.0, f / 20.0);
    return u / 12.0 / (u * u + u / 12.0 + 1.0) + 0.5 * high_pass(f, 30.0, 0.7);
  };
  std::vector<double> click(120000, 0.0);
  click[0] = 1.0;
  AnalysisInput in;
  in.take.form = RawForm::kImpulseFile;
  in.take.raw_name = "ir.wav";
  in.take.setup = FarFieldSetup{{1.0, 0.0, 0.0, {}}, {}};
  in.raw = *audio_bytes({kRate, {through(click, flying(ringing))}, ""}, AudioFormat::kWavFloat32);
  in.recipe.gated = false;
  in.recipe.smoothing = 0;
  const auto analysis = analysed(in);
  ASSERT_TRUE(analysis.has_value());
  EXPECT_LT(worst_db(analysis->curve, ringing, 12.0, 2000.0), 0.1);
}

}  // namespace
}  // namespace lalometer
