#include "acoustics/signal/checks/recording_checks.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numeric>

#include "acoustics/signal/fft.h"
#include "acoustics/signal/windows.h"
#include "acoustics/spectrum/bands.h"
#include "base/constants.h"

namespace lalometer {

double peak_of(std::span<const double> signal) {
  double peak = 0.0;
  for (const double x : signal) peak = std::max(peak, std::abs(x));
  return peak;
}

double rms_of(std::span<const double> signal) {
  if (signal.empty()) return 0.0;
  return std::sqrt(std::inner_product(signal.begin(), signal.end(), signal.begin(), 0.0) /
                   static_cast<double>(signal.size()));
}

Clipping find_clipping(std::span<const double> signal, double full_scale) {
  const double peak = peak_of(signal);
  Clipping result;
  if (peak < 0.5 * full_scale) return result;
  const double near = peak - 1e-4 * full_scale;
  std::size_t at = 0;
  // Each rail on its own: a run must not jump from one to the other.
  while (at < signal.size()) {
    const double sign = signal[at] < 0.0 ? -1.0 : 1.0;
    std::size_t end = at;
    while (end < signal.size() && sign * signal[end] >= near) ++end;
    if (end - at >= 3) result.clipped_count += end - at;
    at = std::max(end, at + 1);
  }
  if (result.clipped_count > 0) result.rail = peak;
  // A slow sine rests at its top for a few samples too; a converter's rail is exactly flat.
  if (result.clipped_count > 0 && peak < 0.999 * full_scale) {
    std::size_t flat = 0;
    for (std::size_t i = 2; i < signal.size(); ++i) {
      const bool at_rail = std::abs(signal[i]) >= near;
      if (at_rail && signal[i] == signal[i - 1] && signal[i] == signal[i - 2]) ++flat;
    }
    if (flat < 3) result = {};
  }
  return result;
}

std::size_t longest_constant_run(std::span<const double> signal) {
  std::size_t longest = signal.empty() ? 0 : 1;
  std::size_t run = longest;
  for (std::size_t i = 1; i < signal.size(); ++i) {
    run = signal[i] == signal[i - 1] ? run + 1 : 1;
    longest = std::max(longest, run);
  }
  return longest;
}

namespace {

/// Lag (>= 0) at which the recording fits the stimulus best, by circular correlation, and how well.
struct Lag {
  std::ptrdiff_t samples = 0;
  double correlation = 0.0;
};

Lag best_lag(std::span<const double> recording, std::span<const double> stimulus,
             std::size_t start) {
  const std::size_t n = fast_length(recording.size() + stimulus.size());
  Spectrum y = real_spectrum(recording, n);
  const Spectrum x = real_spectrum(stimulus, n);
  for (std::size_t k = 0; k < y.size(); ++k) y[k] *= std::conj(x[k]);
  Samples correlation(n);
  RealTransform(n).inverse(y, correlation);
  // A sweep may start earlier than told (a file trimmed by hand), so all lags that leave it inside
  // count.
  const auto past = std::min(recording.size(), n);
  std::size_t best = 0;
  for (std::size_t i = 0; i < past; ++i) {
    if (std::abs(correlation[i]) > std::abs(correlation[best])) best = i;
  }
  const double norm = rms_of(recording) * std::sqrt(static_cast<double>(recording.size())) *
                      rms_of(stimulus) * std::sqrt(static_cast<double>(stimulus.size()));
  return {static_cast<std::ptrdiff_t>(best) - static_cast<std::ptrdiff_t>(start),
          norm > 0.0 ? std::abs(correlation[best]) / norm : 0.0};
}

/// Noise of a take's length correlates with a sweep by less than 0.02; a sweep cut in two by lost
/// samples still does by its larger part.
constexpr double kLeastCorrelation = 0.2;

/// Pieces of a sixth of an octave hold too little of a cycle below this to give a local delay.
constexpr double kFollowedFrom_hz = 30.0;

/// Whether a slow sinusoid breaks somewhere: the residual of its own recursion x[n] - 2 cos(w)
/// x[n-1] + x[n-2] is tiny while it runs on and jumps by about w times the amplitude for a lost
/// sample. Judged against its own rms.
bool breaks(std::span<const double> recording, std::size_t from, std::size_t to,
            const SweepSpec& spec, std::ptrdiff_t origin) {
  if (to > recording.size() || from + 16 > to) return false;
  std::vector<double> residual;
  residual.reserve(to - from);
  for (std::size_t n = from + 2; n < to; ++n) {
    const double t =
        static_cast<double>(static_cast<std::ptrdiff_t>(n) - 1 - origin) / spec.sample_rate_hz();
    const double w = 2.0 * kPi * sweep_frequency_hz(spec, t) / spec.sample_rate_hz();
    residual.push_back(recording[n] - 2.0 * std::cos(w) * recording[n - 1] + recording[n - 2]);
  }
  // Gaussian noise passes eight sigma once in 10^15 samples; a factor of two covers the residual's
  // own drift.
  return peak_of(residual) > 16.0 * rms_of(residual);
}

double median(std::vector<double> values) {
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  return *middle;
}

struct Piece {
  double centre_hz;
  double delay_samples;  ///< phase delay re the best lag
};

/// Phase of the recording against the sweep in one band, and the share of its power that the sweep
/// does not explain.
struct Phase {
  double omega, phase, centre_hz, unexplained;
};

/// Two-component fit (sine and cosine of the sweep) of a stretch: exact even for pieces shorter
/// than a cycle. Nothing where the stretch holds nothing.
/// @param origin  sample at which the sweep begins; from, to count from there.
std::optional<Phase> phase_of(std::span<const double> recording, const SweepSpec& spec,
                              std::ptrdiff_t origin, std::ptrdiff_t from, std::ptrdiff_t to,
                              double centre_hz) {
  const double rate = spec.sample_rate_hz();
  const double l = spec.rate_s();
  const double k = 2.0 * kPi * spec.start_hz() * l;
  double ss = 0, sc = 0, cc = 0, ys = 0, yc = 0, yy = 0;
  for (std::ptrdiff_t n = from; n < to; ++n) {
    const double phi = k * std::expm1(static_cast<double>(n) / rate / l);
    const double s = std::sin(phi);
    const double c = std::cos(phi);
    const double y = recording[static_cast<std::size_t>(origin + n)];
    ss += s * s;
    sc += s * c;
    cc += c * c;
    ys += y * s;
    yc += y * c;
    yy += y * y;
  }
  const double det = ss * cc - sc * sc;
  if (det < 1e-9 * ss * cc || yy <= 0.0) return std::nullopt;
  const double a = (ys * cc - yc * sc) / det;
  const double b = (yc * ss - ys * sc) / det;
  return Phase{2.0 * kPi * centre_hz, std::atan2(b, a), centre_hz, 1.0 - (a * ys + b * yc) / yy};
}

/// Phase delay of each piece, unwrapped from the low end, where a whole sample is a small angle.
std::vector<Piece> unwrapped(const std::vector<Phase>& phases, double rate) {
  std::vector<Piece> pieces;
  double previous = 0.0;
  for (const Phase& p : phases) {
    const double phase = p.phase - 2.0 * kPi * std::round((p.phase - previous) / (2.0 * kPi));
    previous = phase;
    pieces.push_back({p.centre_hz, -phase / p.omega * rate});
  }
  return pieces;
}

/// Where the pieces' delays step away from the settled one, with the phase of coupling capacitors
/// taken out.
void find_slip(SweepTrack& track, const std::vector<Piece>& pieces, double settled, double rate) {
  // A coupling capacitor with corner fc turns the phase by atan(fc/f).
  std::vector<double> corners;
  for (const Piece& p : pieces) {
    const double turn = (settled - p.delay_samples) / rate * 2.0 * kPi * p.centre_hz;
    if (p.centre_hz < 200.0 && std::abs(turn) < 1.5)
      corners.push_back(std::tan(turn) * p.centre_hz);
  }
  const double corner_hz = corners.empty() ? 0.0 : median(std::move(corners));
  for (const Piece& p : pieces) {
    const double coupling = std::atan(corner_hz / p.centre_hz) / (2.0 * kPi * p.centre_hz) * rate;
    // Where the capacitors' own delay is large its fit is uncertain in proportion.
    const double slip =
        std::max(std::abs(p.delay_samples - settled + coupling) - 0.05 * std::abs(coupling), 0.0);
    if (slip > track.worst_slip_samples) {
      track.worst_slip_samples = slip;
      track.slip_at_hz = p.centre_hz;
    }
  }
}

}  // namespace

SweepTrack track_sweep(std::span<const double> recording, const SweepSpec& spec,
                       std::size_t stimulus_start) {
  SweepTrack track;
  const std::vector<double> ideal = faded_sweep(spec);
  const Lag lag = best_lag(recording, ideal, stimulus_start);
  if (lag.correlation < kLeastCorrelation) return track;
  track.present = true;
  const double rate = spec.sample_rate_hz();
  const std::ptrdiff_t origin = static_cast<std::ptrdiff_t>(stimulus_start) + lag.samples;
  std::vector<Phase> phases;
  const double lowest_hz = std::max(2.0 * spec.start_hz(), kFollowedFrom_hz);
  for (const Band& band : fractional_octave_bands(lowest_hz, 0.93 * spec.stop_hz(), 6)) {
    const auto from = static_cast<std::ptrdiff_t>(sweep_time_s(spec, band.low_hz) * rate);
    const auto to = static_cast<std::ptrdiff_t>(sweep_time_s(spec, band.high_hz) * rate);
    if (from < 0 || origin + from < 0 ||
        origin + to >= static_cast<std::ptrdiff_t>(recording.size()))
      continue;
    if (const auto phase = phase_of(recording, spec, origin, from, to, band.centre_hz))
      phases.push_back(*phase);
  }
  if (phases.size() < 4) return track;
  const auto slow_from =
      origin + static_cast<std::ptrdiff_t>(sweep_time_s(spec, 1.3 * spec.start_hz()) * rate);
  const auto slow_to = origin + static_cast<std::ptrdiff_t>(sweep_time_s(spec, lowest_hz) * rate);
  if (slow_from >= 0 && slow_to > slow_from &&
      breaks(recording, static_cast<std::size_t>(slow_from), static_cast<std::size_t>(slow_to),
             spec, origin)) {
    track.worst_slip_samples = 1.0;
    track.slip_at_hz = lowest_hz;
  }
  for (const Phase& p : phases)
    track.worst_unexplained = std::max(track.worst_unexplained, p.unexplained);
  const std::vector<Piece> pieces = unwrapped(phases, rate);
  std::vector<double> upper;
  for (std::size_t i = pieces.size() / 2; i < pieces.size(); ++i)
    upper.push_back(pieces[i].delay_samples);
  const double settled = median(std::move(upper));
  track.latency_samples = static_cast<double>(lag.samples) + settled;
  find_slip(track, pieces, settled, rate);
  return track;
}

namespace {

/// Mean power per hertz-bin of a Hann-windowed stretch between two frequencies, per sample of the
/// stretch.
double mean_bin_power(const Spectrum& bins, double step_hz, double low_hz, double high_hz) {
  const auto a = static_cast<std::size_t>(std::ceil(low_hz / step_hz));
  const auto b = std::min(static_cast<std::size_t>(std::floor(high_hz / step_hz)) + 1, bins.size());
  if (a >= b) return 0.0;
  double sum = 0.0;
  for (std::size_t k = a; k < b; ++k) sum += std::norm(bins[k]);
  return sum / static_cast<double>(b - a);
}

}  // namespace

std::vector<BandSnr> band_snr(std::span<const double> silence, std::span<const double> sweep_part,
                              const SweepSpec& spec, double window_s) {
  std::vector<BandSnr> result;
  const double rate = spec.sample_rate_hz();
  if (silence.size() < 64 || sweep_part.size() < 64) return result;
  const double mean =
      std::accumulate(silence.begin(), silence.end(), 0.0) / static_cast<double>(silence.size());
  std::vector<double> quiet(silence.begin(), silence.end());
  for (double& x : quiet) x -= mean;
  const std::size_t quiet_n = fast_length(quiet.size());
  const std::size_t sweep_n = fast_length(sweep_part.size());
  const Spectrum noise = real_spectrum(quiet, quiet_n);
  const Spectrum signal = real_spectrum(sweep_part, sweep_n);
  for (const Band& band :
       fractional_octave_bands(spec.start_hz() * 1.5, spec.stop_hz() / 1.45, 1)) {
    const double noise_power =
        mean_bin_power(noise, rate / static_cast<double>(quiet_n), band.low_hz, band.high_hz);
    const double signal_power =
        mean_bin_power(signal, rate / static_cast<double>(sweep_n), band.low_hz, band.high_hz);
    if (noise_power <= 0.0 || signal_power <= 0.0) continue;
    // Noise energy per bin grows with the length it is collected over; the sweep's does not.
    const double collected =
        noise_power * std::max(window_s * rate, 1.0) / static_cast<double>(silence.size());
    result.push_back({band.centre_hz, 10.0 * std::log10(signal_power / collected)});
  }
  return result;
}

}  // namespace lalometer
