#include "acoustics/signal/recording/recording_checks.h"

#include <Eigen/Core>
#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <numeric>

#include "acoustics/signal/fft.h"
#include "acoustics/signal/windows.h"
#include "acoustics/spectrum/bands.h"
#include "base/constants.h"

namespace lalometer {

double peak_of(std::span<const double> signal) {
  // Each comparison waits for the one before it: eight rows of them side by side.
  std::array<double, 8> rows{};
  std::size_t i = 0;
  for (; i + rows.size() <= signal.size(); i += rows.size())
    for (std::size_t k = 0; k < rows.size(); ++k)
      rows[k] = std::max(rows[k], std::abs(signal[i + k]));
  for (; i < signal.size(); ++i) rows[0] = std::max(rows[0], std::abs(signal[i]));
  return *std::max_element(rows.begin(), rows.end());
}

double energy_of(std::span<const double> signal) {
  return Eigen::Map<const Eigen::VectorXd>(signal.data(), static_cast<Eigen::Index>(signal.size()))
      .squaredNorm();
}

void Loudest::hear(std::span<const double> next, std::size_t from) {
  constexpr std::size_t kBlock = 1024;  // short enough to stay at hand for the second look
  for (std::size_t i = 0; i < next.size(); i += kBlock) {
    const auto block = next.subspan(i, std::min(kBlock, next.size() - i));
    const double more = energy_of(block);
    energy += more;
    // A block of less energy than the largest sample holds none that is larger.
    if (more <= magnitude * magnitude) continue;
    const double peak = peak_of(block);
    if (!(peak > magnitude)) continue;
    magnitude = peak;
    const auto found =
        std::find_if(block.begin(), block.end(), [&](double x) { return std::abs(x) >= peak; });
    at = from + i + static_cast<std::size_t>(found - block.begin());
  }
}

Loudest loudest_of(std::span<const double> signal) {
  Loudest found;
  found.hear(signal, 0);
  return found;
}

double rms_of(std::span<const double> signal) {
  if (signal.empty()) return 0.0;
  return std::sqrt(energy_of(signal) / static_cast<double>(signal.size()));
}

namespace {

/// Samples in tops that were cut flat before a noise came onto them: five and more in a row within
/// `even` of the rail, and beside them, two samples on, already far below. The top of a sine falls
/// by its square: as wide a one has fallen to three times `even` there, not to eight times.
std::size_t flattened(std::span<const double> signal, double rail, double even) {
  constexpr std::size_t kShortest = 5;
  constexpr double kFalls = 8.0;
  constexpr std::size_t kTops = 20;
  std::size_t tops = 0;
  std::size_t samples = 0;
  for (std::size_t at = 2; at + 2 < signal.size();) {
    const double sign = signal[at] < 0.0 ? -1.0 : 1.0;
    std::size_t end = at;
    while (end < signal.size() && sign * signal[end] >= rail - even) ++end;
    if (end - at >= kShortest && end + 1 < signal.size() &&
        sign * signal[at - 2] < rail - kFalls * even &&
        sign * signal[end + 1] < rail - kFalls * even) {
      ++tops;
      samples += end - at;
    }
    at = std::max(end, at + 1);
  }
  return tops < kTops ? 0 : samples;
}

}  // namespace

Clipping find_clipping(std::span<const double> signal, double full_scale) {
  const double peak = peak_of(signal);
  Clipping result;
  const auto before_noise = [&]() -> Clipping {
    constexpr double kEven = 2e-3;
    constexpr double kLeast = 0.02;  // below, steps of a 16-bit converter are as flat
    if (peak < kLeast * full_scale) return {};
    const std::size_t count = flattened(signal, peak, kEven * peak);
    return {count, count > 0 ? (1.0 - kEven) * peak : 0.0};
  };
  if (peak < 0.5 * full_scale) return before_noise();
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
  return result.clipped_count > 0 ? result : before_noise();
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
