#include "acoustics/signal/checks/own_pulse.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "acoustics/signal/windows.h"
#include "acoustics/spectrum/bode_phase.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using std::size_t;

/// Below the loudest third of an octave by so much, a band tells nothing of the delay: at the
/// bottom little bandwidth is lost by keeping it, at the top the next driver's noise begins.
constexpr double kFaintBelow = 0.0056;  // -45 dB
constexpr double kFaintAbove = 0.018;   // -35 dB
/// By how much a band stands out of the noise before it counts.
constexpr double kOverNoise = 3.0;
constexpr double kGridStep = 0.69314718055994531 / Passband::kGridPoints;  // of ln f

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
  const double step = std::exp2(1.0 / Passband::kGridPoints);
  std::vector<double> magnitude = {};
  for (double k = first; k <= static_cast<double>(high) * (1.0 + 1e-9); k *= step) {
    const double from = std::clamp(k / half + 0.5 - first, 0.0, end - 0.5);
    const double to = std::clamp(k * half + 0.5 - first, from + 0.5, end);
    magnitude.push_back(std::sqrt((power_to(to) - power_to(from)) / (to - from)));
  }
  return magnitude;
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
  if (bin <= 0.7 * high && bin >= 1.4 * low) return 1.0;
  return falling_half_hann((bin / high - 0.7) / 0.3) * falling_half_hann((1.4 - bin / low) / 0.4);
}

/// Products of complex numbers that are known to be finite: without the standard's care for those
/// that are not.
std::complex<double> product(std::complex<double> a, std::complex<double> b) {
  return {a.real() * b.real() - a.imag() * b.imag(), a.real() * b.imag() + a.imag() * b.real()};
}

/// Offset of a parabola's top through three neighbouring values, in samples, within +-0.5.
double parabola_top(double before, double at, double after) {
  const double bend = before - 2.0 * at + after;
  return bend == 0.0 ? 0.0 : std::clamp(0.5 * (before - after) / bend, -0.5, 0.5);
}

}  // namespace

double Passband::bin(size_t point) const {
  return static_cast<double>(first) * std::exp2(static_cast<double>(point) / kGridPoints);
}

size_t Passband::first_bin() const {
  return static_cast<size_t>(std::ceil(bin(low) - 1e-9));
}

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

OwnPulse::OwnPulse(const Spectrum& bins, size_t n, const Passband& band, size_t length)
    : steps_(band.bin(band.high) < 0.25 * static_cast<double>(n) ? 1 : 2),
      first_bin_(band.first_bin()),
      samples_(steps_ * n),
      span_(std::min(steps_ * n, steps_ * length)) {
  divide(bins, band);
  const RealTransform fine(samples_.size());
  Spectrum padded(fine.bin_count(), 0.0);
  std::copy(bins_.begin(), bins_.end(), padded.begin() + static_cast<std::ptrdiff_t>(first_bin_));
  fine.inverse(padded, samples_);
}

void OwnPulse::divide(const Spectrum& bins, const Passband& band) {
  const std::vector<std::complex<double>> inverse = inverse_system(band);
  const std::vector<double>& log_of = logs_up_to(bins.size());
  const double low = band.bin(band.low);
  const double high = band.bin(band.high);
  const double log_low = std::log(low);
  const size_t first = first_bin_;
  const size_t end = std::max(
      first, std::min(bins.size(), static_cast<size_t>(std::floor(high * (1.0 + 1e-9))) + 1));
  bins_.resize(end - first);
  window_.resize(end - first);
  size_t i = 0;
  std::complex<double> at_point = std::exp(inverse[0]);
  std::complex<double> to_next =
      inverse.size() > 1 ? inverse[1] - inverse[0] : std::complex<double>();
  for (size_t k = first; k < end; ++k) {
    const double at = std::max((log_of[k] - log_low) * (1.0 / kGridStep), 0.0);
    const size_t point = std::min(static_cast<size_t>(at), inverse.size() - 1);
    if (point != i) {
      at_point = std::exp(inverse[i = point]);
      to_next = i + 1 < inverse.size() ? inverse[i + 1] - inverse[i] : std::complex<double>();
    }
    // From a point to the next it turns by a third of a radian at most: a series of five terms.
    const std::complex<double> turn = (at - static_cast<double>(i)) * to_next;
    std::complex<double> on = 1.0 / 6.0 + (1.0 / 24.0) * turn;
    on = 0.5 + product(turn, on);
    on = 1.0 + product(turn, on);
    on = 1.0 + product(turn, on);
    const double window = band_window(static_cast<double>(k), low, high);
    window_[k - first] = window;
    bins_[k - first] = window * product(bins[k], product(at_point, on));
  }
}

template <size_t kCount>
std::array<double, kCount> OwnPulse::values_at(const std::array<double, kCount>& at) const {
  std::array<double, kCount> sum{};
  std::array<std::complex<double>, kCount> step, on;
  for (size_t i = 0; i < at.size(); ++i) {
    step[i] = std::polar(1.0, 2.0 * kPi * at[i] / static_cast<double>(samples_.size()));
    on[i] = std::polar(1.0, std::arg(step[i]) * static_cast<double>(first_bin_));
  }
  for (const std::complex<double>& bin : bins_)
    for (size_t i = 0; i < at.size(); ++i) {
      sum[i] += bin.real() * on[i].real() - bin.imag() * on[i].imag();
      on[i] = product(on[i], step[i]);
    }
  for (double& s : sum) s *= 2.0 / static_cast<double>(samples_.size());
  return sum;
}

double OwnPulse::exact_top(size_t step) const {
  // A parabola through three values a quarter of a step apart, after one through steps has told
  // where.
  constexpr double kApart = 0.25;
  const double near = top_of(samples_, step);
  const auto v = values_at<3>({near - kApart, near, near + kApart});
  return near + kApart * parabola_top(std::abs(v[0]), std::abs(v[1]), std::abs(v[2]));
}

Samples OwnPulse::rest_beside(double at) const {
  const double turn = -2.0 * kPi * at / static_cast<double>(samples_.size());
  const double whole = 2.0 / static_cast<double>(samples_.size()) *
                       std::accumulate(window_.begin(), window_.end(), 0.0);
  const double height = whole > 0.0 ? values_at<1>({at})[0] / whole : 0.0;
  const RealTransform fine(samples_.size());
  Spectrum rest(fine.bin_count(), 0.0);
  std::complex<double> on = std::polar(1.0, turn * static_cast<double>(first_bin_));
  const std::complex<double> step = std::polar(1.0, turn);
  for (size_t i = 0; i < bins_.size(); ++i, on = product(on, step))
    rest[first_bin_ + i] = bins_[i] - height * window_[i] * on;
  Samples out(fine.size());
  fine.inverse(rest, out);
  return out;
}

}  // namespace lalometer
