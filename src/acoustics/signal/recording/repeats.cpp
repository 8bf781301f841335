#include "acoustics/signal/recording/repeats.h"

#include <algorithm>
#include <cmath>
#include <complex>

#include "acoustics/signal/fft.h"
#include "acoustics/signal/windows.h"
#include "acoustics/spectrum/bands.h"

namespace lalometer {

RepeatSpread spread_of_repeats(std::span<const std::vector<double>> repeats, const SweepSpec& spec,
                               std::size_t sweep_start) {
  constexpr double kKept_s = 0.05;
  RepeatSpread spread{.count = static_cast<int>(repeats.size())};
  if (repeats.size() < 2) return spread;
  const double rate = spec.sample_rate_hz();
  const auto n = static_cast<double>(repeats.size());
  for (const Band& band : fractional_octave_bands(1.2 * spec.start_hz(), spec.stop_hz() / 1.2, 6)) {
    // Two periods before and after, so that the edges' fading leaves the band whole.
    const double margin_s = 2.0 / band.low_hz;
    const auto index = [&](double t) {
      return static_cast<std::size_t>(std::clamp(static_cast<double>(sweep_start) + t * rate, 0.0,
                                                 static_cast<double>(repeats[0].size())));
    };
    const std::size_t from = index(sweep_time_s(spec, band.low_hz) - margin_s);
    const std::size_t to = index(sweep_time_s(spec, band.high_hz) + margin_s + kKept_s);
    const std::size_t length = to - from;
    if (length < 16) continue;
    const std::size_t size = fast_length(length);
    const double step = rate / static_cast<double>(size);
    const auto first = static_cast<std::size_t>(std::ceil(band.low_hz / step));
    const auto last = std::min(static_cast<std::size_t>(band.high_hz / step), size / 2);
    std::vector<std::complex<double>> sum(last >= first ? last - first + 1 : 0);
    double all = 0.0;
    for (const std::vector<double>& repeat : repeats) {
      std::vector<double> piece(repeat.begin() + static_cast<std::ptrdiff_t>(from),
                                repeat.begin() + static_cast<std::ptrdiff_t>(to));
      const auto edge = std::min(static_cast<std::size_t>(margin_s * rate / 2.0), length / 2);
      apply_fades(piece, edge, edge);
      const Spectrum bins = real_spectrum(piece, size);
      for (std::size_t k = first; k <= last && k < bins.size(); ++k) {
        sum[k - first] += bins[k];
        all += std::norm(bins[k]);
      }
    }
    double common = 0.0;
    for (const auto& bin : sum) common += std::norm(bin) / n;
    if (!(common > 0.0) || !(all > 0.0)) continue;
    const double apart = std::max(all - common, 0.0);  // sum of |X - mean|^2
    spread.frequency_hz.push_back(band.centre_hz);
    // Variance of the mean over the mean's power, half of it along the value.
    spread.relative.push_back(std::sqrt(0.5 * apart / (n - 1.0) / common));
    spread.coherence.push_back(common / all);
  }
  return spread;
}

}  // namespace lalometer
