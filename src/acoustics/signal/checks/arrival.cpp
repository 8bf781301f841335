#include "acoustics/signal/checks/arrival.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "acoustics/signal/minimum_phase.h"
#include "acoustics/signal/windows.h"
#include "base/constants.h"

namespace lalometer {
namespace {

/// Length of the stretch around the peak in which the arrival and the first reflections lie.
constexpr double kBefore_s = 0.004;
constexpr double kAfter_s = 0.030;

/// Power mean over a third of an octave, edges of the excited band held outwards.
std::vector<double> smooth_magnitude(const Spectrum& bins, double step_hz,
                                     const ValidRange& excited) {
  const std::size_t n = bins.size();
  std::vector<double> sum(n + 1, 0.0);
  for (std::size_t k = 0; k < n; ++k) sum[k + 1] = sum[k] + std::norm(bins[k]);
  const auto low = std::clamp<std::size_t>(
      static_cast<std::size_t>(std::ceil(excited.low_hz * 1.2 / step_hz)), 1, n - 1);
  const auto high =
      std::clamp<std::size_t>(static_cast<std::size_t>(std::min(excited.high_hz / 1.05 / step_hz,
                                                                static_cast<double>(n) * 0.96)),
                              low, n - 1);
  const double half = std::exp2(1.0 / 6.0);
  std::vector<double> magnitude(n);
  double largest = 0.0;
  for (std::size_t k = low; k <= high; ++k) {
    const auto a = std::max(static_cast<std::size_t>(static_cast<double>(k) / half), low);
    const auto b =
        std::min(static_cast<std::size_t>(std::ceil(static_cast<double>(k) * half)), high);
    magnitude[k] = std::sqrt((sum[b + 1] - sum[a]) / static_cast<double>(b + 1 - a));
    largest = std::max(largest, magnitude[k]);
  }
  // Deep stop bands would turn into huge gains when divided by; -50 dB keeps the division harmless.
  for (std::size_t k = low; k <= high; ++k) magnitude[k] = std::max(magnitude[k], 0.003 * largest);
  std::fill(magnitude.begin(), magnitude.begin() + static_cast<std::ptrdiff_t>(low),
            magnitude[low]);
  std::fill(magnitude.begin() + static_cast<std::ptrdiff_t>(high), magnitude.end(),
            magnitude[high]);
  return magnitude;
}

/// Zero-phase window over the excited band that keeps the divided response's pulse short.
double band_window(double f, const ValidRange& excited, double nyquist_hz) {
  const double top = std::min(excited.high_hz, nyquist_hz);
  if (f > top) return 0.0;
  return falling_half_hann((f / top - 0.7) / 0.3);
}

/// Offset of a parabola's top through three neighbouring values, in samples, within +-0.5.
double parabola_top(double before, double at, double after) {
  const double bend = before - 2.0 * at + after;
  return bend == 0.0 ? 0.0 : std::clamp(0.5 * (before - after) / bend, -0.5, 0.5);
}

double top_of(const Samples& x, std::size_t i) {
  if (i == 0 || i + 1 >= x.size()) return static_cast<double>(i);
  return static_cast<double>(i) +
         parabola_top(std::abs(x[i - 1]), std::abs(x[i]), std::abs(x[i + 1]));
}

/// First local top of at least half the largest, at most `reach` before it. A crossover's all-pass
/// leaves a pulse of one sign with a tail of the other, which may stand higher than the pulse once
/// both are band-limited.
std::size_t first_top(const Samples& x, std::size_t largest, std::size_t reach) {
  const double enough = 0.5 * std::abs(x[largest]);
  for (std::size_t i = std::max(largest, reach + 1) - reach; i < largest; ++i) {
    const double at = std::abs(x[i]);
    if (at >= enough && at >= std::abs(x[i - 1]) && at >= std::abs(x[i + 1])) return i;
  }
  return largest;
}

}  // namespace

std::optional<Arrival> find_arrival(const ImpulseResponse& response, double earliest_reflection_s) {
  const std::vector<double>& h = response.samples;
  if (h.size() < 8) return std::nullopt;
  const auto louder = [](double a, double b) { return std::abs(a) < std::abs(b); };
  const auto peak =
      static_cast<std::size_t>(std::max_element(h.begin(), h.end(), louder) - h.begin());
  const double energy = std::inner_product(h.begin(), h.end(), h.begin(), 0.0);
  const double rms = std::sqrt(energy / static_cast<double>(h.size()));
  if (!(std::abs(h[peak]) > 4.0 * rms)) return std::nullopt;

  const double rate = response.sample_rate_hz;
  const auto before = std::min(peak, static_cast<std::size_t>(kBefore_s * rate));
  const auto after = std::min(h.size() - peak, static_cast<std::size_t>(kAfter_s * rate));
  const std::size_t start = peak - before;
  std::vector<double> cut(h.begin() + static_cast<std::ptrdiff_t>(start),
                          h.begin() + static_cast<std::ptrdiff_t>(peak + after));
  for (std::size_t i = 0; i < before / 2; ++i) {
    cut[i] *= falling_half_hann(1.0 - static_cast<double>(i) / (static_cast<double>(before) / 2.0));
  }
  const std::size_t fade = after / 4;
  for (std::size_t i = 0; i < fade; ++i) {
    cut[cut.size() - 1 - i] *=
        falling_half_hann(1.0 - static_cast<double>(i) / static_cast<double>(fade));
  }

  // Eightfold length: the smoothed magnitude's cepstrum dies well within it; upsampling by four
  // comes from padding the spectrum, and makes the parabola exact enough for hundredths of a
  // sample.
  const std::size_t n = fast_length(std::max<std::size_t>(8 * cut.size(), 4096)) / 2 * 2;
  Spectrum bins = real_spectrum(cut, n);
  const double step_hz = rate / static_cast<double>(n);
  const Spectrum own = minimum_phase(smooth_magnitude(bins, step_hz, response.excited));
  constexpr std::size_t kUpsampling = 4;
  const RealTransform fine(kUpsampling * n);
  Spectrum divided(fine.bin_count(), 0.0);
  for (std::size_t k = 0; k < bins.size(); ++k) {
    const double f = static_cast<double>(k) * step_hz;
    if (f < response.excited.low_hz) continue;
    divided[k] = bins[k] * std::conj(own[k]) / std::norm(own[k]) *
                 band_window(f, response.excited, 0.5 * rate);
  }
  Samples pulse(fine.size());
  fine.inverse(divided, pulse);

  const std::size_t span = std::min(pulse.size(), kUpsampling * cut.size());
  const auto first = pulse.begin();
  const auto largest = static_cast<std::size_t>(
      std::max_element(first, first + static_cast<std::ptrdiff_t>(span), louder) - first);
  const std::size_t top = first_top(
      pulse, largest, static_cast<std::size_t>(0.001 * rate * static_cast<double>(kUpsampling)));
  const double fine_rate = rate * static_cast<double>(kUpsampling);
  const auto clock = [&](std::size_t i) {
    return response.time_s(0) + static_cast<double>(start) / rate + top_of(pulse, i) / fine_rate;
  };
  Arrival arrival{clock(top), std::nullopt};

  const std::size_t from = top + static_cast<std::size_t>(earliest_reflection_s * fine_rate);
  if (from + 8 >= span) return arrival;
  std::vector<double> levels;
  for (std::size_t i = from; i < span; ++i) levels.push_back(std::abs(pulse[i]));
  auto middle = levels.begin() + static_cast<std::ptrdiff_t>(levels.size() / 2);
  std::nth_element(levels.begin(), middle, levels.end());
  const double threshold = std::max(0.1 * std::abs(pulse[top]), 6.0 * *middle);
  for (std::size_t i = from; i + 1 < span; ++i) {
    if (std::abs(pulse[i]) < threshold) continue;
    // Walk to the top of the pulse that has just risen over the threshold: it may be some samples
    // wide.
    std::size_t best = i;
    const std::size_t width = static_cast<std::size_t>(0.0002 * fine_rate);
    for (std::size_t j = i; j < std::min(i + width, span); ++j) {
      if (std::abs(pulse[j]) > std::abs(pulse[best])) best = j;
    }
    arrival.first_reflection_s = clock(best);
    break;
  }
  return arrival;
}

}  // namespace lalometer
