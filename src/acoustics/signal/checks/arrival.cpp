#include "acoustics/signal/checks/arrival.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

#include "acoustics/signal/fft.h"
#include "acoustics/signal/recording/recording_checks.h"
#include "acoustics/signal/windows.h"
#include "acoustics/spectrum/bode_phase.h"
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
/// Points an octave at which the magnitude is looked at: it is smoothed by a third of one.
constexpr double kGridPoints = 24.0;
constexpr double kGridStep = 0.69314718055994531 / kGridPoints;  // of ln f
constexpr size_t kUpsampling = 2;

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

/// Root of the mean power over a third of an octave, on an even grid of log frequency from the bin
/// `low` to `high`.
std::vector<double> smooth_magnitude(const Spectrum& bins, size_t low, size_t high) {
  // Power below the middle between two bins; straight within a bin.
  std::vector<double> below(high - low + 2, 0.0);
  for (size_t k = low; k <= high; ++k) below[k - low + 1] = below[k - low] + std::norm(bins[k]);
  const auto first = static_cast<double>(low);
  const double end = static_cast<double>(high - low + 1);
  const auto power_to = [&](double at) {
    const auto i = std::min(static_cast<size_t>(at), below.size() - 2);
    return below[i] + (at - static_cast<double>(i)) * (below[i + 1] - below[i]);
  };
  const double half = std::exp2(1.0 / 6.0);
  const double step = std::exp2(1.0 / kGridPoints);
  std::vector<double> magnitude = {};
  for (double k = first; k <= static_cast<double>(high) * (1.0 + 1e-9); k *= step) {
    const double from = std::clamp(k / half + 0.5 - first, 0.0, end - 0.5);
    const double to = std::clamp(k * half + 0.5 - first, from + 0.5, end);
    magnitude.push_back(std::sqrt((power_to(to) - power_to(from)) / (to - from)));
  }
  return magnitude;
}

/// Where the band lies that tells of the loudspeaker, and its smoothed magnitude there. Points of
/// the grid, which starts at the bin `first`.
struct Passband {
  size_t first = 1;
  size_t low = 0;
  size_t high = 0;
  size_t upper_10db = 0;    ///< the highest point within 10 dB of the loudest
  bool open_above = false;  ///< the excitation ends before the loudspeaker does
  std::vector<double> magnitude = {};

  [[nodiscard]] double bin(size_t point) const {
    return static_cast<double>(first) * std::exp2(static_cast<double>(point) / kGridPoints);
  }
  [[nodiscard]] size_t first_bin() const { return static_cast<size_t>(std::ceil(bin(low) - 1e-9)); }
};

Passband passband_of(const Spectrum& bins, const Spectrum* noise, double step_hz,
                     const ValidRange& excited) {
  const size_t n = bins.size();
  const auto bin = [&](double f) { return static_cast<size_t>(std::max(f / step_hz, 1.0)); };
  const size_t low = std::clamp<size_t>(bin(std::ceil(excited.low_hz * 1.2)), 1, n - 1);
  const size_t high = std::clamp<size_t>(
      std::min(bin(excited.high_hz / 1.05), static_cast<size_t>(static_cast<double>(n) * 0.96)),
      low, n - 1);
  Passband band{.first = low, .magnitude = smooth_magnitude(bins, low, high)};
  const std::vector<double>& m = band.magnitude;
  const auto top = static_cast<size_t>(std::max_element(m.begin(), m.end()) - m.begin());
  std::vector<double> floor;
  if (noise != nullptr) floor = smooth_magnitude(*noise, low, high);
  const auto tells = [&](size_t k, double faint) {
    return m[k] > faint * m[top] && (floor.empty() || m[k] > kOverNoise * floor[k]);
  };
  for (band.high = top; band.high + 1 < m.size() && tells(band.high + 1, kFaintAbove);) ++band.high;
  for (band.low = top; band.low > 0 && tells(band.low - 1, kFaintBelow);) --band.low;
  band.open_above = band.high + 1 == m.size();
  band.upper_10db = band.high;
  while (band.upper_10db > top && !(m[band.upper_10db] > 0.316 * m[top])) --band.upper_10db;
  return band;
}

/// ln(k), and of 0 that of 0.5, from one take to the next: an orbit asks for it at each angle.
const std::vector<double>& logs_up_to(size_t count) {
  thread_local std::vector<double> logs = {std::log(0.5)};
  while (logs.size() < count) logs.push_back(std::log(static_cast<double>(logs.size())));
  return logs;
}

/// Slope over ln f of logarithms on the grid, between two of its points, by least squares.
double slope_between(const std::vector<double>& logs, size_t from, size_t to) {
  const double middle = 0.5 * static_cast<double>(to - from);
  double sxy = 0.0, sxx = 0.0;
  for (size_t i = from; i <= to; ++i) {
    const double x = static_cast<double>(i - from) - middle;
    sxy += x * logs[i];
    sxx += x * x;
  }
  return sxx > 0.0 ? sxy / (sxx * kGridStep) : 0.0;
}

/// One over the minimum-phase system of the band's magnitude, at its points: the logarithm of the
/// complex value. The magnitude goes on to both sides as its ends go, at most at 48 dB an octave.
std::vector<std::complex<double>> inverse_system(const Passband& band) {
  constexpr double kSteepest = 8.0;  // power of frequency
  std::vector<double> logs(band.high - band.low + 1);
  for (size_t i = 0; i < logs.size(); ++i)
    logs[i] = std::log(std::max(band.magnitude[band.low + i], 1e-300));
  const size_t last = logs.size() - 1;
  constexpr size_t kOverBelow = 14;  // a factor of 1.5
  constexpr size_t kOverAbove = 10;  // of 0.75
  const double below =
      std::clamp(slope_between(logs, 0, std::min(kOverBelow, last)), 0.0, kSteepest);
  double above =
      std::clamp(slope_between(logs, last - std::min(kOverAbove, last), last), -kSteepest, 0.0);
  // Where the excitation ends before the loudspeaker does, a gentle slope is the room's comb.
  constexpr double kGentle = 0.5;  // 3 dB an octave
  if (band.open_above && above > -kGentle) above = 0.0;
  const std::vector<double> phase = minimum_phase_on_grid(logs, kGridStep, below, above);
  std::vector<std::complex<double>> inverse(logs.size());
  for (size_t i = 0; i < logs.size(); ++i) inverse[i] = {-logs[i], -phase[i]};
  return inverse;
}

/// Window over the band that keeps the divided response's pulse short.
double band_window(double bin, double low, double high) {
  return falling_half_hann((bin / high - 0.7) / 0.3) * falling_half_hann((1.4 - bin / low) / 0.4);
}

/// The bins divided by the minimum-phase system of their own magnitude, from the band's first to
/// its last, and the window that lies on them.
struct Divided {
  Spectrum bins;
  std::vector<double> window;
};

Divided divided_by_own(const Spectrum& bins, const Passband& band) {
  const std::vector<std::complex<double>> inverse = inverse_system(band);
  const std::vector<double>& log_of = logs_up_to(bins.size());
  const double low = band.bin(band.low);
  const double high = band.bin(band.high);
  const double log_low = std::log(low);
  Divided divided;
  size_t i = 0;
  std::complex<double> at_point = std::exp(inverse[0]);
  for (size_t k = band.first_bin();
       k < bins.size() && static_cast<double>(k) <= high * (1.0 + 1e-9); ++k) {
    const double at = std::max((log_of[k] - log_low) / kGridStep, 0.0);
    const size_t point = std::min(static_cast<size_t>(at), inverse.size() - 1);
    if (point != i) at_point = std::exp(inverse[i = point]);
    // From a point to the next it turns by a third of a radian at most: a series of five terms.
    const std::complex<double> turn =
        i + 1 < inverse.size() ? (at - static_cast<double>(i)) * (inverse[i + 1] - inverse[i])
                               : 0.0;
    const std::complex<double> on =
        1.0 + turn * (1.0 + turn * (0.5 + turn * (1.0 / 6.0 + turn * (1.0 / 24.0))));
    divided.window.push_back(band_window(static_cast<double>(k), low, high));
    divided.bins.push_back(bins[k] * at_point * on * divided.window.back());
  }
  return divided;
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
  size_t first_bin = 0;
  Divided made_of;  ///< from the first bin that is not 0

  /// Its values there, between the steps.
  [[nodiscard]] std::array<double, 3> values_at(const std::array<double, 3>& at) const {
    std::array<double, 3> sum{};
    std::array<std::complex<double>, 3> step, on;
    for (size_t i = 0; i < at.size(); ++i) {
      step[i] = std::polar(1.0, 2.0 * kPi * at[i] / static_cast<double>(samples.size()));
      on[i] = std::polar(1.0, std::arg(step[i]) * static_cast<double>(first_bin));
    }
    for (const std::complex<double>& bin : made_of.bins)
      for (size_t i = 0; i < at.size(); ++i) {
        sum[i] += bin.real() * on[i].real() - bin.imag() * on[i].imag();
        on[i] = {on[i].real() * step[i].real() - on[i].imag() * step[i].imag(),
                 on[i].real() * step[i].imag() + on[i].imag() * step[i].real()};
      }
    for (double& s : sum) s *= 2.0 / static_cast<double>(samples.size());
    return sum;
  }

  /// Where its top near a step is, in steps: a parabola through three values an eighth of a sample
  /// apart, after one through steps has told where.
  [[nodiscard]] double exact_top(size_t step) const {
    constexpr double kApart = 0.125 * static_cast<double>(kUpsampling);
    const double near = top_of(samples, step);
    const auto v = values_at({near - kApart, near, near + kApart});
    return near + kApart * parabola_top(std::abs(v[0]), std::abs(v[1]), std::abs(v[2]));
  }

  /// What is left when the window's own pulse, with all that swings before and after it, is taken
  /// out of a place, in steps.
  [[nodiscard]] Samples rest_beside(double at) const {
    const double turn = -2.0 * kPi * at / static_cast<double>(samples.size());
    const double whole = 2.0 / static_cast<double>(samples.size()) *
                         std::accumulate(made_of.window.begin(), made_of.window.end(), 0.0);
    const double height = whole > 0.0 ? values_at({at, at, at})[0] / whole : 0.0;
    const RealTransform fine(samples.size());
    Spectrum rest(fine.bin_count(), 0.0);
    std::complex<double> on = std::polar(1.0, turn * static_cast<double>(first_bin));
    const std::complex<double> step = std::polar(1.0, turn);
    for (size_t i = 0; i < made_of.bins.size(); ++i, on *= step)
      rest[first_bin + i] = made_of.bins[i] - height * made_of.window[i] * on;
    Samples out(fine.size());
    fine.inverse(rest, out);
    return out;
  }
};

Pulse divided_pulse(const Spectrum& bins, size_t n, const Passband& band, size_t length) {
  const RealTransform fine(kUpsampling * n);
  Pulse pulse{.samples = Samples(fine.size()),
              .span = std::min(fine.size(), kUpsampling * length),
              .first_bin = band.first_bin(),
              .made_of = divided_by_own(bins, band)};
  Spectrum padded(fine.bin_count(), 0.0);
  std::copy(pulse.made_of.bins.begin(), pulse.made_of.bins.end(),
            padded.begin() + static_cast<std::ptrdiff_t>(pulse.first_bin));
  fine.inverse(padded, pulse.samples);
  return pulse;
}

/// A stretch with its spectrum, padded to twice its length.
struct Piece {
  Stretch cut = {};
  size_t size = 0;
  Spectrum bins = {};

  [[nodiscard]] double step_hz(double rate) const { return rate / static_cast<double>(size); }
  /// The highest frequency within 10 dB of the loudest.
  [[nodiscard]] double top_hz(const ImpulseResponse& of) const {
    const double step = step_hz(of.sample_rate_hz);
    const Passband band = passband_of(bins, nullptr, step, of.excited);
    return step * band.bin(band.upper_10db);
  }
};

Piece piece_around(const ImpulseResponse& response, size_t peak, double before_s, double after_s) {
  Piece piece{.cut = stretch_around(response, peak, before_s, after_s)};
  piece.size = fast_length(std::max<size_t>(2 * piece.cut.samples.size(), 4096)) / 2 * 2;
  piece.bins = real_spectrum(piece.cut.samples, piece.size);
  return piece;
}

/// The stretch around the peak, six or so samples to one, so that a long one costs no more than a
/// short one does: for what lies below a sixteenth of the rate.
ImpulseResponse coarse_around(const ImpulseResponse& response, size_t peak, double before_s,
                              double after_s) {
  constexpr double kRate_hz = 8000.0;
  const double rate = response.sample_rate_hz;
  const auto by = static_cast<size_t>(std::max(1.0, std::floor(rate / kRate_hz)));
  const auto count = [&](double s) { return static_cast<size_t>(s * rate); };
  const size_t from = peak - std::min(peak, count(before_s));
  const size_t to = std::min(response.samples.size(), peak + count(after_s));
  ImpulseResponse coarse;
  coarse.sample_rate_hz = rate / static_cast<double>(by);
  coarse.excited = response.excited;
  coarse.samples.reserve((to - from) / by);
  for (size_t i = from; i + by <= to; i += by) {
    const auto first = response.samples.begin() + static_cast<std::ptrdiff_t>(i);
    coarse.samples.push_back(std::accumulate(first, first + static_cast<std::ptrdiff_t>(by), 0.0));
  }
  coarse.excited.high_hz = std::min(coarse.excited.high_hz, 0.5 * coarse.sample_rate_hz);
  return coarse;
}

/// A pulse stands out: far above the mean level of everything, or nearly all that there is lies
/// within a part of it (a subwoofer's, in a short file).
bool stands_out(const std::vector<double>& h, const Loudest& loudest, size_t before, size_t after) {
  const double rms = std::sqrt(loudest.energy / static_cast<double>(h.size()));
  if (loudest.magnitude > 4.0 * rms) return true;
  const size_t from = loudest.at - std::min(loudest.at, before);
  const size_t to = std::min(h.size(), loudest.at + after);
  const double inside = energy_of(std::span(h).subspan(from, to - from));
  return loudest.energy > 0.0 && inside > 0.9 * loudest.energy && 4 * (to - from) < 3 * h.size();
}

/// Index of the first top of the pulse over the threshold, from `from` on.
std::optional<size_t> first_over(std::span<const double> pulse, size_t from, size_t width,
                                 double threshold) {
  for (size_t i = from; i + 1 < pulse.size(); ++i) {
    if (std::abs(pulse[i]) < threshold) continue;
    // Walk to the top of the pulse that has just risen over the threshold: it may be some samples
    // wide.
    size_t best = i;
    for (size_t j = i; j < std::min(i + width, pulse.size()); ++j)
      if (std::abs(pulse[j]) > std::abs(pulse[best])) best = j;
    return best;
  }
  return std::nullopt;
}

}  // namespace

std::optional<Arrival> find_arrival(const ImpulseResponse& response, double earliest_reflection_s) {
  const std::vector<double>& h = response.samples;
  if (h.size() < 8) return std::nullopt;
  const Loudest loudest = loudest_of(h);
  const size_t peak = loudest.at;
  const double rate = response.sample_rate_hz;
  if (!(loudest.magnitude > 0.0)) return std::nullopt;

  // How high it reaches tells how long a stretch to take; the shortest one shows it of all that
  // reach well beyond what it holds a dozen periods of.
  constexpr double kWellBeyond = 4.0;
  Piece piece = piece_around(response, peak, kBefore_s, kAfter_s);
  double top_hz = piece.top_hz(response);
  if (top_hz < kWellBeyond * kAfterPeriods / kAfter_s) {
    const ImpulseResponse coarse = coarse_around(response, peak, kLongestBefore_s, kLongestAfter_s);
    const size_t top = loudest_of(coarse.samples).at;
    top_hz = piece_around(coarse, top, kLongestBefore_s, kLongestAfter_s).top_hz(coarse);
  }
  const double before_s = std::clamp(kBeforePeriods / top_hz, kBefore_s, kLongestBefore_s);
  const double after_s = std::clamp(kAfterPeriods / top_hz, kAfter_s, kLongestAfter_s);
  if (!stands_out(h, loudest, static_cast<size_t>(before_s * rate),
                  static_cast<size_t>(after_s * rate)))
    return std::nullopt;
  if (before_s > kBefore_s || after_s > kAfter_s)
    piece = piece_around(response, peak, before_s, after_s);
  const Stretch& cut = piece.cut;
  const double step_hz = piece.step_hz(rate);
  // What came just before the sound is noise of the same length.
  std::optional<Spectrum> noise;
  if (cut.start >= cut.samples.size()) {
    noise = real_spectrum(std::span(h).subspan(cut.start - cut.samples.size(), cut.samples.size()),
                          piece.size);
  }
  const Passband band =
      passband_of(piece.bins, noise ? &*noise : nullptr, step_hz, response.excited);
  const Pulse pulse = divided_pulse(piece.bins, piece.size, band, cut.samples.size());
  const Samples& p = pulse.samples;
  const double fine_rate = rate * static_cast<double>(kUpsampling);
  const size_t largest = loudest_of(std::span(p).first(pulse.span)).at;
  const size_t top = first_top(p, largest, static_cast<size_t>(0.001 * fine_rate));
  const auto clock = [&](double at) {
    return response.time_s(0) + static_cast<double>(cut.start) / rate + at / fine_rate;
  };
  const double exact = pulse.exact_top(top);
  Arrival arrival{.time_s = clock(exact), .top_hz = top_hz, .first_reflection_s = std::nullopt};

  // Nothing can be told apart within the pulse's own width, nor below its own undershoot: that of a
  // band which does not begin at 0 Hz.
  const double width_s = 3.0 / (band.bin(band.high) * step_hz);
  const auto from = top + static_cast<size_t>(std::max(earliest_reflection_s, width_s) * fine_rate);
  if (from + 8 >= pulse.span) return arrival;
  // The swings of the direct sound's own pulse are no reflections.
  const Samples later = pulse.rest_beside(exact);
  std::vector<double> levels;
  for (size_t i = from; i < pulse.span; ++i) levels.push_back(std::abs(later[i]));
  const auto middle = levels.begin() + static_cast<std::ptrdiff_t>(levels.size() / 2);
  std::nth_element(levels.begin(), middle, levels.end());
  const double undershoot = 3.0 * band.bin(band.low) / band.bin(band.high);
  const double threshold = std::max(std::max(0.1, undershoot) * std::abs(p[top]), 6.0 * *middle);
  const double walk_s = std::max(0.0002, 0.5 * width_s);
  constexpr size_t kMost = 6;
  const auto walk = static_cast<size_t>(walk_s * fine_rate);
  for (size_t next = from; arrival.later.size() < kMost;) {
    const auto reflected = first_over(std::span(later).first(pulse.span), next, walk, threshold);
    if (!reflected) break;
    arrival.later.push_back({clock(top_of(later, *reflected)),
                             20.0 * std::log10(std::abs(later[*reflected]) / std::abs(p[top]))});
    next = *reflected + walk;
  }
  if (!arrival.later.empty()) arrival.first_reflection_s = arrival.later.front().time_s;
  return arrival;
}

}  // namespace lalometer
