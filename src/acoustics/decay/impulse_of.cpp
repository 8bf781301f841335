#include "acoustics/decay/impulse_of.h"

#include <algorithm>
#include <cmath>

#include "acoustics/signal/fft.h"
#include "base/constants.h"

namespace lalometer {
namespace {

constexpr std::size_t kSize = 16384;
constexpr std::size_t kBefore = 2048;  // for what rings before t = 0, being cut in band

double half_hann(double share) {
  return 0.5 - 0.5 * std::cos(kPi * std::clamp(share, 0.0, 1.0));
}

}  // namespace

ImpulseResponse impulse_of(const Response& curve) {
  const ValidRange band = intersect(curve.valid(), {curve.axis().front(), curve.axis().back()});
  const double high = band.high_hz * std::exp2(1.0 / 3.0);
  const double low = 0.5 * band.low_hz;
  ImpulseResponse out{.samples = {},
                      .sample_rate_hz = std::max(48000.0, 2.1 * high),
                      .zero_at = static_cast<double>(kBefore),
                      .excited = band};
  const double step = out.sample_rate_hz / static_cast<double>(kSize);
  std::vector<double> hz;
  for (std::size_t k = 1; k <= kSize / 2; ++k)
    if (const double f = step * static_cast<double>(k); f > low && f < high) hz.push_back(f);
  const RealTransform transform(kSize);
  Spectrum bins(kSize / 2 + 1, 0.0);
  out.samples.assign(kSize, 0.0);
  if (hz.size() < 2) return out;
  const Response even = resampled(curve, *FrequencyAxis::make(hz));
  for (std::size_t i = 0; i < even.size(); ++i) {
    const double f = even.axis()[i];
    const double faded = f < band.low_hz    ? half_hann(std::log2(f / low))
                         : f > band.high_hz ? half_hann(3.0 * std::log2(high / f))
                                            : 1.0;
    const auto k = static_cast<std::size_t>(std::lround(f / step));
    bins[k] = faded * even.value(i) *
              std::polar(1.0, -2.0 * kPi * static_cast<double>(k * kBefore % kSize) /
                                  static_cast<double>(kSize));
  }
  Samples samples(kSize);
  transform.inverse(bins, samples);
  std::copy(samples.begin(), samples.end(), out.samples.begin());
  return out;
}

}  // namespace lalometer
