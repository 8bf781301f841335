#include "acoustics/signal/checks/arrival.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "acoustics/signal/minimum_phase.h"
#include "acoustics/signal/recording/recording_checks.h"
#include "acoustics/signal/windows.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using std::size_t;

/// Length of the stretch around the peak in which the arrival and the first reflections lie: for a
/// loudspeaker that reaches high, and in periods of the highest frequency for one that does not. A
/// subwoofer's pulse has its peak many milliseconds after its onset.
constexpr double kBefore_s = 0.004;
constexpr double kAfter_s = 0.030;
constexpr double kBeforePeriods = 3.0;
constexpr double kAfterPeriods = 12.0;
/// What is looked at to learn how high it reaches, and the most that a bass driver is given.
constexpr double kLongestBefore_s = 0.1;
constexpr double kLongestAfter_s = 0.4;
/// Below the loudest third of an octave by so much, a band tells nothing of the delay: at the
/// bottom little bandwidth is lost by keeping it, at the top the next driver's noise begins.
constexpr double kFaintBelow = 0.0056;  // -45 dB
constexpr double kFaintAbove = 0.018;   // -35 dB
/// By how much a band stands out of the noise before it counts.
constexpr double kOverNoise = 3.0;
/// The magnitude is continued so much further than half the rate, where analogue low-passes go on
/// turning the phase.
constexpr size_t kWiden = 4;
constexpr size_t kUpsampling = 4;

/// A piece of the response around its peak, faded at both ends.
struct Stretch {
  size_t start = 0;
  std::vector<double> samples;
};

Stretch stretch_around(const ImpulseResponse& response, size_t peak, double before_s,
                       double after_s) {
  const std::vector<double>& h = response.samples;
  const auto count = [&](double s) { return static_cast<size_t>(s * response.sample_rate_hz); };
  const size_t before = std::min(peak, count(before_s));
  const size_t after = std::min(h.size() - peak, count(after_s));
  Stretch cut{.start = peak - before, .samples = {}};
  cut.samples.assign(h.begin() + static_cast<std::ptrdiff_t>(cut.start),
                     h.begin() + static_cast<std::ptrdiff_t>(peak + after));
  const size_t rise = before / 4;
  for (size_t i = 0; i < rise; ++i)
    cut.samples[i] *= falling_half_hann(1.0 - static_cast<double>(i) / static_cast<double>(rise));
  const size_t fade = after / 4;
  for (size_t i = 0; i < fade; ++i) {
    cut.samples[cut.samples.size() - 1 - i] *=
        falling_half_hann(1.0 - static_cast<double>(i) / static_cast<double>(fade));
  }
  return cut;
}

/// Root of the mean power over a third of an octave around each bin of [low, high]; 0 elsewhere.
std::vector<double> smooth_magnitude(const Spectrum& bins, size_t low, size_t high) {
  const size_t n = bins.size();
  std::vector<double> sum(n + 1, 0.0);
  for (size_t k = 0; k < n; ++k) sum[k + 1] = sum[k] + std::norm(bins[k]);
  const double half = std::exp2(1.0 / 6.0);
  std::vector<double> magnitude(n, 0.0);
  for (size_t k = low; k <= high; ++k) {
    const auto a = std::max(static_cast<size_t>(static_cast<double>(k) / half), low);
    const auto b = std::min(static_cast<size_t>(std::ceil(static_cast<double>(k) * half)), high);
    magnitude[k] = std::sqrt((sum[b + 1] - sum[a]) / static_cast<double>(b + 1 - a));
  }
  return magnitude;
}

/// The bins that tell of the loudspeaker, and its smoothed magnitude there.
struct Passband {
  size_t low = 1;
  size_t high = 1;
  size_t upper_10db = 1;    ///< the highest bin within 10 dB of the loudest
  bool open_above = false;  ///< the excitation ends before the loudspeaker does
  std::vector<double> magnitude;
};

Passband passband_of(const Spectrum& bins, const Spectrum* noise, double step_hz,
                     const ValidRange& excited) {
  const size_t n = bins.size();
  const auto bin = [&](double f) { return static_cast<size_t>(std::max(f / step_hz, 1.0)); };
  const size_t low = std::clamp<size_t>(bin(std::ceil(excited.low_hz * 1.2)), 1, n - 1);
  const size_t high = std::clamp<size_t>(
      std::min(bin(excited.high_hz / 1.05), static_cast<size_t>(static_cast<double>(n) * 0.96)),
      low, n - 1);
  Passband band{
      .low = low, .high = high, .upper_10db = low, .magnitude = smooth_magnitude(bins, low, high)};
  const auto first = band.magnitude.begin();
  const auto top = static_cast<size_t>(std::max_element(first, band.magnitude.end()) - first);
  const double loudest = band.magnitude[top];
  std::vector<double> floor;
  if (noise != nullptr) floor = smooth_magnitude(*noise, low, high);
  const auto tells = [&](size_t k, double faint) {
    return band.magnitude[k] > faint * loudest &&
           (floor.empty() || band.magnitude[k] > kOverNoise * floor[k]);
  };
  for (band.high = top; band.high < high && tells(band.high + 1, kFaintAbove);) ++band.high;
  for (band.low = top; band.low > low && tells(band.low - 1, kFaintBelow);) --band.low;
  band.open_above = band.high == high;
  for (size_t k = band.high; k > top && band.upper_10db <= low; --k)
    if (band.magnitude[k] > 0.316 * loudest) band.upper_10db = k;
  band.upper_10db = std::max(band.upper_10db, top);
  return band;
}

/// ln(k), and of 0 that of 0.5, from one take to the next: an orbit asks for it at each angle.
const std::vector<double>& logs_up_to(size_t count) {
  thread_local std::vector<double> logs = {std::log(0.5)};
  while (logs.size() < count) logs.push_back(std::log(static_cast<double>(logs.size())));
  return logs;
}

/// Slope of log magnitude over log frequency between two bins, by least squares.
double slope_between(const std::vector<double>& magnitude, size_t from, size_t to) {
  double n = 0.0, sx = 0.0, sy = 0.0, sxx = 0.0, sxy = 0.0;
  for (size_t k = std::max<size_t>(from, 1); k <= to; ++k) {
    if (!(magnitude[k] > 0.0)) continue;
    const double x = std::log(static_cast<double>(k));
    const double y = std::log(magnitude[k]);
    n += 1.0;
    sx += x;
    sy += y;
    sxx += x * x;
    sxy += x * y;
  }
  const double spread = n * sxx - sx * sx;
  return spread > 0.0 ? (n * sxy - sx * sy) / spread : 0.0;
}

/// Logarithms of the band's magnitude, continued to both sides as its ends go, at most at 48 dB an
/// octave, and up to `kWiden` times half the rate: a slope that stops makes another phase.
std::vector<double> continued_logs(const Passband& band, size_t half_size) {
  constexpr double kSteepest = 8.0;  // power of frequency
  const auto share = [](size_t k, double by) {
    return static_cast<size_t>(static_cast<double>(k) * by);
  };
  const double below = std::clamp(
      slope_between(band.magnitude, band.low, std::min(share(band.low, 1.5) + 1, band.high)), 0.0,
      kSteepest);
  double above = std::clamp(
      slope_between(band.magnitude, std::max(share(band.high, 0.75), band.low), band.high),
      -kSteepest, 0.0);
  // Where the excitation ends before the loudspeaker does, a gentle slope is the room's comb.
  constexpr double kGentle = 0.5;  // 3 dB an octave
  if (band.open_above && above > -kGentle) above = 0.0;
  constexpr double kLeast = -34.5;  // 1e-15
  const size_t count = kWiden * half_size + 1;
  const std::vector<double>& log_of = logs_up_to(count);
  std::vector<double> logs(count);
  const double at_low = std::log(band.magnitude[band.low]);
  const double at_high = std::log(band.magnitude[band.high]);
  for (size_t k = 0; k < count; ++k) {
    if (k < band.low)
      logs[k] = at_low + below * (log_of[k] - log_of[band.low]);
    else if (k > band.high)
      logs[k] = at_high + above * (log_of[k] - log_of[band.high]);
    else
      logs[k] = std::log(band.magnitude[k]);
    logs[k] = std::max(logs[k], kLeast);
  }
  return logs;
}

/// Window over the band that keeps the divided response's pulse short.
double band_window(size_t k, const Passband& band) {
  const auto f = static_cast<double>(k);
  const auto low = static_cast<double>(band.low);
  const auto high = static_cast<double>(band.high);
  return falling_half_hann((f / high - 0.7) / 0.3) * falling_half_hann((1.4 - f / low) / 0.4);
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

/// A response divided by its own minimum phase, in steps of a `kUpsampling`th of a sample.
struct Pulse {
  Samples samples;
  size_t span = 0;  ///< of them, those of the stretch
};

Pulse divided_pulse(const Spectrum& bins, size_t n, const Passband& band, size_t length) {
  const Spectrum own = minimum_phase_logs(continued_logs(band, n / 2));
  const RealTransform fine(kUpsampling * n);
  Spectrum divided(fine.bin_count(), 0.0);
  for (size_t k = band.low; k <= band.high; ++k)
    divided[k] =
        bins[k] * std::polar(std::exp(-own[k].real()) * band_window(k, band), -own[k].imag());
  Pulse pulse{.samples = Samples(fine.size()), .span = 0};
  fine.inverse(divided, pulse.samples);
  pulse.span = std::min(pulse.samples.size(), kUpsampling * length);
  return pulse;
}

/// A pulse stands out: far above the mean level of everything, or nearly all that there is lies
/// within a part of it (a subwoofer's, in a short file).
bool stands_out(const std::vector<double>& h, size_t peak, size_t before, size_t after) {
  const double energy = std::inner_product(h.begin(), h.end(), h.begin(), 0.0);
  const double rms = std::sqrt(energy / static_cast<double>(h.size()));
  if (std::abs(h[peak]) > 4.0 * rms) return true;
  const size_t from = peak - std::min(peak, before);
  const size_t to = std::min(h.size(), peak + after);
  const auto at = [&](size_t i) { return h.begin() + static_cast<std::ptrdiff_t>(i); };
  const double inside = std::inner_product(at(from), at(to), at(from), 0.0);
  return energy > 0.0 && inside > 0.9 * energy && 4 * (to - from) < 3 * h.size();
}

size_t loudest(std::span<const double> x) {
  const double peak = peak_of(x);
  size_t i = 0;
  while (i + 1 < x.size() && !(std::abs(x[i]) >= peak)) ++i;
  return i;
}

/// Index of the first top of the pulse over the threshold, from `from` on.
std::optional<size_t> first_over(const Pulse& pulse, size_t from, size_t width, double threshold) {
  for (size_t i = from; i + 1 < pulse.span; ++i) {
    if (std::abs(pulse.samples[i]) < threshold) continue;
    // Walk to the top of the pulse that has just risen over the threshold: it may be some samples
    // wide.
    size_t best = i;
    for (size_t j = i; j < std::min(i + width, pulse.span); ++j)
      if (std::abs(pulse.samples[j]) > std::abs(pulse.samples[best])) best = j;
    return best;
  }
  return std::nullopt;
}

}  // namespace

std::optional<Arrival> find_arrival(const ImpulseResponse& response, double earliest_reflection_s) {
  const std::vector<double>& h = response.samples;
  if (h.size() < 8) return std::nullopt;
  const size_t peak = loudest(h);
  const double rate = response.sample_rate_hz;
  if (!(std::abs(h[peak]) > 0.0)) return std::nullopt;

  // How high it reaches tells how long a stretch to take; the shortest one shows it of all that
  // reach well beyond what it holds a dozen periods of.
  const auto reach_hz = [&](double before_s, double after_s) {
    const Stretch seen = stretch_around(response, peak, before_s, after_s);
    const size_t size = fast_length(std::max<size_t>(2 * seen.samples.size(), 4096)) / 2 * 2;
    const double step_hz = rate / static_cast<double>(size);
    const Spectrum bins = real_spectrum(seen.samples, size);
    return step_hz *
           static_cast<double>(passband_of(bins, nullptr, step_hz, response.excited).upper_10db);
  };
  constexpr double kWellBeyond = 4.0;
  double top_hz = reach_hz(kBefore_s, kAfter_s);
  if (top_hz < kWellBeyond * kAfterPeriods / kAfter_s)
    top_hz = reach_hz(kLongestBefore_s, kLongestAfter_s);
  const double before_s = std::clamp(kBeforePeriods / top_hz, kBefore_s, kLongestBefore_s);
  const double after_s = std::clamp(kAfterPeriods / top_hz, kAfter_s, kLongestAfter_s);
  if (!stands_out(h, peak, static_cast<size_t>(before_s * rate),
                  static_cast<size_t>(after_s * rate)))
    return std::nullopt;
  const Stretch cut = stretch_around(response, peak, before_s, after_s);

  // Eightfold length: the smoothed magnitude's cepstrum dies well within it; upsampling comes from
  // padding the spectrum, and makes the parabola exact enough for hundredths of a sample.
  const size_t n = fast_length(std::max<size_t>(8 * cut.samples.size(), 4096)) / 2 * 2;
  const Spectrum bins = real_spectrum(cut.samples, n);
  const double step_hz = rate / static_cast<double>(n);
  // What came just before the sound is noise of the same length.
  std::optional<Spectrum> noise;
  if (cut.start >= cut.samples.size()) {
    noise =
        real_spectrum(std::span(h).subspan(cut.start - cut.samples.size(), cut.samples.size()), n);
  }
  const Passband band = passband_of(bins, noise ? &*noise : nullptr, step_hz, response.excited);
  const Pulse pulse = divided_pulse(bins, n, band, cut.samples.size());
  const Samples& p = pulse.samples;
  const double fine_rate = rate * static_cast<double>(kUpsampling);
  const size_t largest = loudest(std::span(p).first(pulse.span));
  const size_t top = first_top(p, largest, static_cast<size_t>(0.001 * fine_rate));
  const auto clock = [&](size_t i) {
    return response.time_s(0) + static_cast<double>(cut.start) / rate + top_of(p, i) / fine_rate;
  };
  Arrival arrival{.time_s = clock(top), .top_hz = top_hz, .first_reflection_s = std::nullopt};

  // Nothing can be told apart within the pulse's own width, nor below its own undershoot: that of a
  // band which does not begin at 0 Hz.
  const double width_s = 3.0 / (static_cast<double>(band.high) * step_hz);
  const auto from = top + static_cast<size_t>(std::max(earliest_reflection_s, width_s) * fine_rate);
  if (from + 8 >= pulse.span) return arrival;
  std::vector<double> levels;
  for (size_t i = from; i < pulse.span; ++i) levels.push_back(std::abs(p[i]));
  const auto middle = levels.begin() + static_cast<std::ptrdiff_t>(levels.size() / 2);
  std::nth_element(levels.begin(), middle, levels.end());
  const double undershoot = 3.0 * static_cast<double>(band.low) / static_cast<double>(band.high);
  const double threshold = std::max(std::max(0.1, undershoot) * std::abs(p[top]), 6.0 * *middle);
  const double walk_s = std::max(0.0002, 0.5 * width_s);
  constexpr size_t kMost = 6;
  const auto walk = static_cast<size_t>(walk_s * fine_rate);
  for (size_t next = from; arrival.later.size() < kMost;) {
    const auto reflected = first_over(pulse, next, walk, threshold);
    if (!reflected) break;
    arrival.later.push_back(
        {clock(*reflected), 20.0 * std::log10(std::abs(p[*reflected]) / std::abs(p[top]))});
    next = *reflected + walk;
  }
  if (!arrival.later.empty()) arrival.first_reflection_s = arrival.later.front().time_s;
  return arrival;
}

}  // namespace lalometer
