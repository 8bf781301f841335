#include "acoustics/signal/deconvolve.h"

#include <algorithm>
#include <cmath>

#include "acoustics/signal/fft.h"

namespace lalometer {
namespace {

constexpr double kInBand = 1e-10;
constexpr double kSkirt_octaves = 1.0 / 12.0;

/// Share of full regularisation at a frequency: 0 inside the band, 1 beyond its skirts.
double outside_share(double f, Band_hz band) {
  if (f >= band.low_hz && f <= band.high_hz) return 0.0;
  if (f <= 0.0) return 1.0;
  const double octaves = f < band.low_hz ? std::log2(band.low_hz / f) : std::log2(f / band.high_hz);
  return std::min(octaves / kSkirt_octaves, 1.0);
}

void load(std::span<const double> from, Samples& to) {
  std::copy(from.begin(), from.end(), to.begin());
  std::fill(to.begin() + static_cast<std::ptrdiff_t>(from.size()), to.end(), 0.0);
}

}  // namespace

ImpulseResponse deconvolve(std::span<const double> recording, std::span<const double> reference,
                           double sample_rate_hz, Band_hz excited, double before_s) {
  // Even, so that a transform of the same length gives exactly these lines back.
  std::size_t n = fast_length(recording.size());
  while (n % 2 != 0) n = fast_length(n + 1);
  const RealTransform transform(n);
  // Kept from call to call: the first touch of fresh memory costs as much as a transform.
  thread_local Samples time;
  thread_local Spectrum y;
  thread_local Spectrum r;
  time.resize(n);
  y.resize(transform.bin_count());
  r.resize(transform.bin_count());
  load(recording, time);
  transform.forward(time, y);
  load(reference, time);
  transform.forward(time, r);

  double largest = 0.0;
  for (const auto& bin : r) largest = std::max(largest, std::norm(bin));
  const double floor = std::max(largest * kInBand, 1e-300);
  const double step_hz = sample_rate_hz / static_cast<double>(n);
  const double per_sample = 1.0 / static_cast<double>(n);  // the inverse transform's 1/N
  const auto divide = [&](std::size_t k, double e) {
    const double rr = r[k].real();
    const double ri = r[k].imag();
    const double scale = per_sample / (rr * rr + ri * ri + e);
    // Written out: the library's complex product checks for NaN at every bin.
    const double yr = y[k].real();
    const double yi = y[k].imag();
    y[k] = {(yr * rr + yi * ri) * scale, (yi * rr - yr * ri) * scale};
  };
  const auto first =
      std::min(static_cast<std::size_t>(std::ceil(excited.low_hz / step_hz)), y.size());
  const auto past =
      std::min(static_cast<std::size_t>(std::floor(excited.high_hz / step_hz)) + 1, y.size());
  const auto divide_outside = [&](std::size_t from, std::size_t to) {
    for (std::size_t k = from; k < to; ++k) {
      const double share = outside_share(static_cast<double>(k) * step_hz, excited);
      divide(k, share < 1.0 ? floor * std::pow(1.0 / kInBand, share) : floor / kInBand);
    }
  };
  divide_outside(0, first);
  for (std::size_t k = first; k < past; ++k) divide(k, floor);
  divide_outside(std::max(first, past), y.size());
  transform.inverse_unscaled(y, time);

  ImpulseResponse response;
  response.sample_rate_hz = sample_rate_hz;
  const std::size_t before =
      before_s > 0.0 ? std::min(static_cast<std::size_t>(std::ceil(before_s * sample_rate_hz)),
                                static_cast<std::size_t>(0.6 * static_cast<double>(n)))
                     : n / 4;
  response.zero_at = static_cast<double>(before);
  response.excited = {excited.low_hz, excited.high_hz};
  response.samples.reserve(n);
  const auto turn = time.end() - static_cast<std::ptrdiff_t>(before);
  response.samples.assign(turn, time.end());
  response.samples.insert(response.samples.end(), time.begin(), turn);
  return response;
}

}  // namespace lalometer
