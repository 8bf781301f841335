#include "acoustics/signal/checks/arrival.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "acoustics/signal/checks/own_pulse.h"
#include "acoustics/signal/windows.h"

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

/// A stretch with its spectrum, padded to twice its length.
struct Piece {
  Stretch cut = {};
  size_t size = 0;
  Spectrum bins = {};

  [[nodiscard]] double step_hz(double rate) const { return rate / static_cast<double>(size); }
  /// Its band, as far as no noise hides it.
  [[nodiscard]] Passband band(const ImpulseResponse& of) const {
    return passband_of(bins, nullptr, step_hz(of.sample_rate_hz), of.excited);
  }
  /// The highest frequency within 10 dB of the loudest.
  [[nodiscard]] double top_hz(const ImpulseResponse& of, const Passband& band) const {
    return step_hz(of.sample_rate_hz) * band.bin(band.upper_10db);
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

/// How high a response reaches tells how long a stretch to take; the shortest one shows it of all
/// that reach well beyond what it holds a dozen periods of; of those that reach a little beyond it
/// too, where next to nothing lies outside.
double top_by(const Piece& shortest, const Passband& band, const ImpulseResponse& response,
              const Loudest& loudest) {
  constexpr double kWellBeyond = 4.0;
  constexpr double kBeyond = 1.5;
  constexpr double kOutside = 0.01;
  constexpr double kHeld_hz = kAfterPeriods / kAfter_s;
  const double top_hz = shortest.top_hz(response, band);
  if (top_hz >= kWellBeyond * kHeld_hz) return top_hz;
  const Stretch& cut = shortest.cut;
  if (top_hz > kBeyond * kHeld_hz &&
      energy_of(std::span(response.samples).subspan(cut.start, cut.samples.size())) >
          (1.0 - kOutside) * loudest.energy)
    return top_hz;
  const ImpulseResponse coarse =
      coarse_around(response, loudest.at, kLongestBefore_s, kLongestAfter_s);
  const size_t top = loudest_of(coarse.samples).at;
  const Piece slow = piece_around(coarse, top, kLongestBefore_s, kLongestAfter_s);
  return slow.top_hz(coarse, slow.band(coarse));
}

}  // namespace

std::optional<Arrival> find_arrival(const ImpulseResponse& response, double earliest_reflection_s,
                                    const std::optional<Loudest>& known) {
  const std::vector<double>& h = response.samples;
  if (h.size() < 8) return std::nullopt;
  const Loudest loudest = known ? *known : loudest_of(h);
  const size_t peak = loudest.at;
  const double rate = response.sample_rate_hz;
  if (!(loudest.magnitude > 0.0)) return std::nullopt;

  Piece piece = piece_around(response, peak, kBefore_s, kAfter_s);
  Passband band = piece.band(response);
  const double top_hz = top_by(piece, band, response, loudest);
  const double before_s = std::clamp(kBeforePeriods / top_hz, kBefore_s, kLongestBefore_s);
  const double after_s = std::clamp(kAfterPeriods / top_hz, kAfter_s, kLongestAfter_s);
  if (!stands_out(h, loudest, static_cast<size_t>(before_s * rate),
                  static_cast<size_t>(after_s * rate)))
    return std::nullopt;
  if (before_s > kBefore_s || after_s > kAfter_s) {
    piece = piece_around(response, peak, before_s, after_s);
    band = piece.band(response);
  }
  const Stretch& cut = piece.cut;
  const double step_hz = piece.step_hz(rate);
  // What came just before the sound is noise of the same length.
  if (cut.start >= cut.samples.size()) {
    const Spectrum noise = real_spectrum(
        std::span(h).subspan(cut.start - cut.samples.size(), cut.samples.size()), piece.size);
    band = passband_of(piece.bins, &noise, step_hz, response.excited);
  }
  const OwnPulse pulse(piece.bins, piece.size, band, cut.samples.size());
  const Samples& p = pulse.samples();
  const double fine_rate = rate * static_cast<double>(pulse.steps_a_sample());
  const size_t largest = loudest_of(std::span(p).first(pulse.span())).at;
  const size_t top = first_top(p, largest, static_cast<size_t>(0.001 * fine_rate));
  const auto clock = [&](double at) {
    return response.time_s(0) + static_cast<double>(cut.start) / rate + at / fine_rate;
  };
  const double exact = pulse.exact_top(top);
  Arrival arrival{.time_s = clock(exact),
                  .top_hz = top_hz,
                  .peak = loudest.magnitude,
                  .first_reflection_s = std::nullopt};

  // Nothing can be told apart within the pulse's own width, nor below its own undershoot: that of a
  // band which does not begin at 0 Hz.
  const double width_s = 3.0 / (band.bin(band.high) * step_hz);
  const auto from = top + static_cast<size_t>(std::max(earliest_reflection_s, width_s) * fine_rate);
  if (from + 8 >= pulse.span()) return arrival;
  // The swings of the direct sound's own pulse are no reflections.
  const Samples later = pulse.rest_beside(exact);
  const double undershoot = 3.0 * band.bin(band.low) / band.bin(band.high);
  const double least = std::max(0.1, undershoot) * std::abs(p[top]);
  if (peak_of(std::span(later).subspan(from, pulse.span() - from)) < least) return arrival;
  std::vector<double> levels;
  levels.reserve(pulse.span() - from);
  for (size_t i = from; i < pulse.span(); ++i) levels.push_back(std::abs(later[i]));
  const auto middle = levels.begin() + static_cast<std::ptrdiff_t>(levels.size() / 2);
  std::nth_element(levels.begin(), middle, levels.end());
  const double threshold = std::max(least, 6.0 * *middle);
  const double walk_s = std::max(0.0002, 0.5 * width_s);
  constexpr size_t kMost = 6;
  const auto walk = static_cast<size_t>(walk_s * fine_rate);
  for (size_t next = from; arrival.later.size() < kMost;) {
    const auto reflected = first_over(std::span(later).first(pulse.span()), next, walk, threshold);
    if (!reflected) break;
    arrival.later.push_back({clock(top_of(later, *reflected)),
                             20.0 * std::log10(std::abs(later[*reflected]) / std::abs(p[top]))});
    next = *reflected + walk;
  }
  if (!arrival.later.empty()) arrival.first_reflection_s = arrival.later.front().time_s;
  return arrival;
}

}  // namespace lalometer
