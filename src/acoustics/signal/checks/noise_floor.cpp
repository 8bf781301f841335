#include "acoustics/signal/checks/noise_floor.h"

#include <algorithm>
#include <cmath>

#include "acoustics/signal/fft.h"
#include "acoustics/signal/windows.h"
#include "acoustics/spectrum/bands.h"

namespace lalometer {
namespace {

constexpr double kShortest_s = 0.05;
constexpr double kLeastLines = 3.0;

double mean_power(const Spectrum& bins, double step_hz, const Band& band) {
  const auto first = static_cast<std::size_t>(std::ceil(band.low_hz / step_hz));
  const auto last = std::min(static_cast<std::size_t>(band.high_hz / step_hz), bins.size() - 1);
  double sum = 0.0;
  for (std::size_t k = first; k <= last; ++k) sum += std::norm(bins[k]);
  return last >= first ? sum / static_cast<double>(last - first + 1) : 0.0;
}

constexpr double kHannPower = 0.375;

/// Its transform through a Hann window, which keeps hum and rumble out of the bands above; the
/// window's power is 3/8.
Spectrum faded_spectrum(std::vector<double> x, std::size_t length) {
  const auto n = static_cast<double>(x.size());
  for (std::size_t i = 0; i < x.size(); ++i)
    x[i] *= falling_half_hann(std::abs(2.0 * (static_cast<double>(i) + 0.5) / n - 1.0));
  return real_spectrum(x, length);
}

}  // namespace

std::optional<Response> noise_density(std::span<const double> silence,
                                      std::span<const double> reference, double sample_rate_hz,
                                      const ValidRange& excited) {
  const double silent_s = static_cast<double>(silence.size()) / sample_rate_hz;
  if (silent_s < kShortest_s) return std::nullopt;
  const std::size_t length = fast_length(silence.size());
  const Spectrum noise = faded_spectrum({silence.begin(), silence.end()}, length);
  const std::size_t whole = fast_length(reference.size());
  const Spectrum played = real_spectrum(reference, whole);

  std::vector<double> f;
  std::vector<std::complex<double>> values;
  const double low = std::max({excited.low_hz, 20.0, kLeastLines / silent_s});
  const double high = std::min(excited.high_hz, 0.47 * sample_rate_hz);
  if (!(low < high)) return std::nullopt;
  for (const Band& band : fractional_octave_bands(low, high, 3)) {
    const double r = mean_power(played, sample_rate_hz / static_cast<double>(whole), band);
    if (!(r > 0.0)) continue;
    const double power =
        mean_power(noise, sample_rate_hz / static_cast<double>(length), band) / kHannPower;
    f.push_back(band.centre_hz);
    values.emplace_back(std::sqrt(power / silent_s / r));
  }
  auto axis = FrequencyAxis::make(std::move(f));
  if (!axis) return std::nullopt;
  return *Response::make(*axis, std::move(values), Quantity::kRatio, {low, high}, false);
}

std::optional<Response> noise_within(const ImpulseResponse& h, double from_s, double to_s,
                                     Quantity quantity) {
  const double rate = h.sample_rate_hz;
  const auto size = static_cast<double>(h.samples.size());
  const double first = std::clamp(std::ceil(from_s * rate + h.zero_at), 0.0, size);
  const double last = std::clamp(std::floor(to_s * rate + h.zero_at), 0.0, size);
  if (last - first < kShortest_s * rate) return std::nullopt;
  const auto begin = h.samples.begin() + static_cast<std::ptrdiff_t>(first);
  std::vector<double> x(begin, begin + static_cast<std::ptrdiff_t>(last - first));
  const double seconds = static_cast<double>(x.size()) / rate;
  const std::size_t length = fast_length(x.size());
  const Spectrum noise = faded_spectrum(std::move(x), length);
  const double low = std::max({h.excited.low_hz, 20.0, kLeastLines / seconds});
  const double high = std::min(h.excited.high_hz, 0.47 * rate);
  if (!(high > 2.0 * low)) return std::nullopt;
  std::vector<double> f;
  std::vector<std::complex<double>> values;
  for (const Band& band : fractional_octave_bands(low, high, 3)) {
    const double power = mean_power(noise, rate / static_cast<double>(length), band) / kHannPower;
    f.push_back(band.centre_hz);
    values.emplace_back(std::sqrt(power / seconds));
  }
  auto axis = FrequencyAxis::make(std::move(f));
  if (!axis) return std::nullopt;
  return *Response::make(*axis, std::move(values), quantity, {low, high}, false);
}

}  // namespace lalometer
