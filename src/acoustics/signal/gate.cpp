#include "acoustics/signal/gate.h"

#include <algorithm>
#include <cmath>

#include "acoustics/signal/fft.h"
#include "acoustics/signal/windows.h"
#include "base/constants.h"

namespace lalometer {
namespace {

constexpr double kFallingShare = 0.25;

/// Value and slope at the end of the gate, from a parabola fitted to its second half by least squares. The
/// parabola follows the bass and averages out what is quicker.
struct Trend {
  double value = 0.0;
  double slope_per_sample = 0.0;
};

Trend trend_at_end(std::span<const double> h, std::size_t first, std::size_t end) {
  if (end < first + 8) return {};
  // Legendre polynomials on [-1, 1] are orthogonal enough on a fine even grid to be fitted one by one
  // after their exact discrete norms; a Gram-Schmidt step makes them exact.
  const auto n = static_cast<double>(end - first);
  double s0 = 0, s1 = 0, s2 = 0, n2 = 0, n4 = 0;
  for (std::size_t i = first; i < end; ++i) {
    const double u = (2.0 * static_cast<double>(i - first) + 1.0 - n) / n;
    s0 += h[i];
    s1 += h[i] * u;
    s2 += h[i] * u * u;
    n2 += u * u;
    n4 += u * u * u * u;
  }
  const double curvature = (s2 - s0 * n2 / n) / (n4 - n2 * n2 / n);
  const double mean = (s0 - curvature * n2) / n;
  const double tilt = s1 / n2;
  return {mean + tilt + curvature, (tilt + 2.0 * curvature) * 2.0 / n};
}

}  // namespace

std::vector<std::complex<double>> spectrum_on_axis(std::span<const double> x, double sample_rate_hz, double shift,
                                                   const FrequencyAxis& axis) {
  const std::size_t n = fast_length(std::max<std::size_t>(8 * x.size(), 65536));
  // A whole-sample rotation takes most of the delay out before reading between bins.
  const auto whole = static_cast<std::ptrdiff_t>(std::llround(shift));
  Samples rotated(n, 0.0);
  for (std::size_t i = 0; i < x.size(); ++i) {
    const std::ptrdiff_t at = static_cast<std::ptrdiff_t>(i) - whole;
    const auto size = static_cast<std::ptrdiff_t>(n);
    rotated[static_cast<std::size_t>(((at % size) + size) % size)] += x[i];
  }
  const RealTransform transform(n);
  Spectrum bins(transform.bin_count());
  transform.forward(rotated, bins);
  const double rest = shift - static_cast<double>(whole);
  std::vector<std::complex<double>> values(axis.size());
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const double at = std::min(axis[i] / sample_rate_hz * static_cast<double>(n), static_cast<double>(bins.size() - 1));
    const auto k = std::min(static_cast<std::size_t>(at), bins.size() - 2);
    const auto between = bins[k] + (at - static_cast<double>(k)) * (bins[k + 1] - bins[k]);
    values[i] = between * std::polar(1.0, 2.0 * kPi * axis[i] / sample_rate_hz * rest);
  }
  return values;
}

Response gated_response(const ImpulseResponse& response, const Gate& gate, const FrequencyAxis& axis,
                        Quantity quantity) {
  const double rate = response.sample_rate_hz;
  const std::vector<double>& h = response.samples;
  const double arrival = gate.arrival_s * rate + response.zero_at;
  const double length = gate.length_s * rate;
  const double lead = std::max(gate.lead_s * rate, 1.0);
  const auto limit = static_cast<double>(h.size());
  const auto begin = static_cast<std::size_t>(std::clamp(std::ceil(arrival - lead), 0.0, limit));
  const auto end = static_cast<std::size_t>(std::clamp(std::floor(arrival + length) + 1.0, 0.0, limit));

  std::vector<double> x;
  double shift = 0.0;
  if (begin < end) {
    x.assign(h.begin() + static_cast<std::ptrdiff_t>(begin), h.begin() + static_cast<std::ptrdiff_t>(end));
    shift = arrival - static_cast<double>(begin);
    Trend trend;
    const double half = shift + 0.5 * length;
    if (gate.tail == GateTail::kContinued && half < static_cast<double>(x.size())) {
      trend = trend_at_end(x, static_cast<std::size_t>(std::max(half, 0.0)), x.size());
    }
    const double fall_from = shift + (1.0 - kFallingShare) * length;
    const double fall_length = kFallingShare * length;
    const double last = static_cast<double>(x.size()) - 0.5;
    // (A + B s) exp(-s / tau), s counted from the gate's end, has the trend's value and slope there.
    const double tau = length;
    const double b = trend.slope_per_sample + trend.value / tau;
    const auto continued = [&](double s) { return (trend.value + b * s) * std::exp(-s / tau); };
    for (std::size_t i = 0; i < x.size(); ++i) {
      const double at = static_cast<double>(i);
      if (at < shift) x[i] *= falling_half_hann((shift - at) / lead);
      const double w = falling_half_hann((at - fall_from) / fall_length);
      // Within the fall the trend itself (not its decay, which starts at the end) takes the data's place.
      if (w < 1.0) x[i] = w * x[i] + (1.0 - w) * (trend.value + trend.slope_per_sample * (at - last));
    }
    if (gate.tail == GateTail::kContinued) {
      const auto more = static_cast<std::size_t>(std::ceil(16.0 * tau));
      x.reserve(x.size() + more);
      for (std::size_t i = 0; i < more; ++i) x.push_back(continued(static_cast<double>(i) + 0.5));
    }
  }
  auto values = spectrum_on_axis(x, rate, shift, axis);
  const ValidRange valid = intersect(response.excited, {valid_from_hz(gate.length_s), 0.5 * rate});
  return *Response::make(axis, std::move(values), quantity, valid, true);
}

Response ungated_response(const ImpulseResponse& response, double arrival_s, const FrequencyAxis& axis,
                          Quantity quantity) {
  const double rate = response.sample_rate_hz;
  // What stands before t = 0 is kept where it belongs: it is part of the transfer function (band limits).
  auto values = spectrum_on_axis(response.samples, rate,
                                 arrival_s * rate + response.zero_at, axis);
  return *Response::make(axis, std::move(values), quantity,
                         intersect(response.excited, {0.0, 0.5 * rate}), true);
}

}  // namespace lalometer
