#include "acoustics/signal/recording/sweep_track.h"

#include <cstdlib>

#include "acoustics/signal/fft.h"
#include "acoustics/signal/minimum_phase.h"
#include "support/support.h"

/// Loopbacks through converters of many kinds, made here from filter formulas: none may be called
/// broken, and every lost sample has to be seen.
namespace lalometer {
namespace {

using Filter = std::function<std::complex<double>(double f, double rate)>;

/// |H|^2 = 1 / (1 + e^2 C_n^2(x)), C_n Chebyshev's polynomial; monotonic for large e at n = 1.
double chebyshev(int order, double x) {
  return x <= 1.0 ? std::cos(order * std::acos(x)) : std::cosh(order * std::acosh(x));
}

/// Magnitude of a filter flat to 0.4535 of the rate, with or without ripple.
double steep(double f, double rate, double ripple_db, int order) {
  const double e2 = std::pow(10.0, ripple_db / 10.0) - 1.0;
  const double c = chebyshev(order, f / (0.4535 * rate));
  return 1.0 / std::sqrt(1.0 + e2 * c * c);
}

std::complex<double> coupled(double f, double corner_hz) {
  const std::complex<double> s(0.0, f / corner_hz);
  return s / (1.0 + s);
}

enum class Phase { kLinear, kMinimum };

/// The transfer function on all bins of a transform.
Spectrum built(const Filter& magnitude, Phase phase, double coupling_hz, int couplings, double rate,
               std::size_t n) {
  std::vector<double> m(n / 2 + 1);
  for (std::size_t k = 0; k < m.size(); ++k) {
    const double f = static_cast<double>(k) * rate / static_cast<double>(n);
    m[k] = std::max(std::abs(magnitude(f, rate)), 1e-6);
  }
  Spectrum h(m.begin(), m.end());
  if (phase == Phase::kMinimum) h = minimum_phase(m);
  for (std::size_t k = 0; k < h.size(); ++k)
    for (int i = 0; i < couplings; ++i)
      h[k] *= coupled(static_cast<double>(k) * rate / static_cast<double>(n), coupling_hz);
  h.back() = h.back().real();
  return h;
}

struct Channel {
  const char* name;
  Filter magnitude;
  Phase phase;
  double coupling_hz;
  int couplings;
};

std::vector<Channel> channels() {
  const auto cut = [](double ripple_db, int order) {
    return [=](double f, double rate) { return steep(f, rate, ripple_db, order); };
  };
  const auto soft = [](double f, double rate) {
    return 1.0 / std::sqrt(1.0 + std::pow(f / (0.44 * rate), 16.0));
  };
  const auto slow = [](double f, double rate) {
    return 1.0 / std::sqrt(1.0 + std::pow(f / (0.4 * rate), 8.0));
  };
  const auto half_band = [](double f, double rate) {
    const double u = std::clamp((f / rate - 0.4535) / (0.5465 - 0.4535), 0.0, 1.0);
    return 0.5 + 0.5 * std::cos(kPi * u);
  };
  return {{"linear, steep", cut(0.01, 24), Phase::kLinear, 1.0, 1},
          {"minimum, steep", cut(0.01, 24), Phase::kMinimum, 1.0, 1},
          {"minimum, steep, ripple", cut(0.1, 20), Phase::kMinimum, 2.0, 1},
          {"linear, ripple", cut(0.1, 20), Phase::kLinear, 2.0, 2},
          {"half band, linear", half_band, Phase::kLinear, 1.5, 1},
          {"half band, minimum", half_band, Phase::kMinimum, 1.5, 2},
          {"soft, minimum", soft, Phase::kMinimum, 1.0, 2},
          {"soft, linear", soft, Phase::kLinear, 5.0, 1},
          {"slow, minimum", slow, Phase::kMinimum, 2.0, 1},
          {"slow, minimum, coupling of 10 Hz", slow, Phase::kMinimum, 10.0, 1},
          {"minimum, steep, two couplings of 8 Hz", cut(0.01, 16), Phase::kMinimum, 8.0, 2},
          {"minimum, steepest", cut(0.001, 40), Phase::kMinimum, 1.0, 1}};
}

constexpr double kLead_s = 0.25;
constexpr double kLatency_s = 0.0289;

std::vector<double> heard(const Channel& channel, const SweepSpec& spec, std::uint64_t seed) {
  const double rate = spec.sample_rate_hz();
  const std::vector<double> sweep = faded_sweep(spec);
  std::vector<double> x(static_cast<std::size_t>((kLead_s + 0.6) * rate) + sweep.size(), 0.0);
  const auto at = static_cast<std::size_t>((kLead_s + kLatency_s) * rate);
  for (std::size_t i = 0; i < sweep.size(); ++i) x[at + i] = 0.3 * sweep[i];
  const std::size_t n = fast_length(2 * x.size()) / 2 * 2;
  Spectrum bins = real_spectrum(x, n);
  const Spectrum h =
      built(channel.magnitude, channel.phase, channel.coupling_hz, channel.couplings, rate, n);
  for (std::size_t k = 0; k < bins.size(); ++k) bins[k] *= h[k];
  Samples time(n);
  RealTransform(n).inverse(bins, time);
  test::Normals normal(seed);
  for (std::size_t i = 0; i < x.size(); ++i) x[i] = time[i] + 3e-6 * normal();
  return x;
}

std::optional<double> broken(const std::vector<double>& x, const SweepSpec& spec) {
  const auto lead = static_cast<std::size_t>(kLead_s * spec.sample_rate_hz());
  const SweepTrack track = track_sweep(x, spec, lead);
  EXPECT_TRUE(track.present);
  return loopback_break_hz(x, track, spec, lead, true);
}

// LALOMETER_CONVERTERS=all looks at every filter at every rate, some minutes' work.
TEST(Loopback, ThroughSoundConvertersIsNeverBrokenAndEveryLossIsSeen) {
  const bool all = std::getenv("LALOMETER_CONVERTERS") != nullptr;
  const double rates[] = {44100.0, 48000.0, 96000.0, 192000.0};
  std::size_t turn = 0;
  for (const Channel& channel : channels()) {
    for (const double rate : rates) {
      ++turn;
      if (!all && turn % 4 != (turn / 4) % 4) continue;
      const double stop_hz = std::min(22000.0, 0.46 * rate);
      const SweepSpec spec = *SweepSpec::make({10.0, stop_hz, 1.4, rate});
      const std::vector<double> sound = heard(channel, spec, turn);
      const auto false_hz = broken(sound, spec);
      EXPECT_FALSE(false_hz.has_value()) << channel.name << ", " << rate << ": " << *false_hz;
      const double start = (kLead_s + kLatency_s) * rate;
      for (const int lost : {1, 3, 20}) {
        for (const double at_hz : {47.0, 330.0, 2900.0, 11000.0, 19500.0}) {
          if (!all && (turn + static_cast<std::size_t>(lost) + static_cast<std::size_t>(at_hz)) % 3)
            continue;
          const auto at = static_cast<std::ptrdiff_t>(start + sweep_time_s(spec, at_hz) * rate);
          std::vector<double> x = sound;
          x.erase(x.begin() + at, x.begin() + at + lost);
          x.resize(sound.size(), 0.0);
          EXPECT_TRUE(broken(x, spec).has_value())
              << channel.name << ", " << rate << ": " << lost << " at " << at_hz;
        }
      }
    }
  }
}

}  // namespace
}  // namespace lalometer
