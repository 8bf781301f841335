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

}  // namespace

std::optional<Response> noise_density(std::span<const double> silence,
                                      std::span<const double> reference, double sample_rate_hz,
                                      const ValidRange& excited) {
  const double silent_s = static_cast<double>(silence.size()) / sample_rate_hz;
  if (silent_s < kShortest_s) return std::nullopt;
  // A Hann window keeps hum and rumble out of the bands above; its power is 3/8.
  std::vector<double> faded(silence.begin(), silence.end());
  const auto n = static_cast<double>(faded.size());
  for (std::size_t i = 0; i < faded.size(); ++i)
    faded[i] *= falling_half_hann(std::abs(2.0 * (static_cast<double>(i) + 0.5) / n - 1.0));
  constexpr double kHannPower = 0.375;
  const std::size_t length = fast_length(faded.size());
  const Spectrum noise = real_spectrum(faded, length);
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

}  // namespace lalometer
