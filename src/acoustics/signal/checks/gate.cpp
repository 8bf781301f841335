#include "acoustics/signal/checks/gate.h"

#include <algorithm>
#include <cmath>

#include "acoustics/signal/fft.h"
#include "acoustics/signal/windows.h"
#include "base/constants.h"

namespace lalometer {
namespace {

constexpr double kFallingShare = 0.25;
constexpr double kFitFrom = 0.5;
constexpr double kFitTo = 1.0;

/// The bass tail as a parabola, fitted by least squares to the gate's second half. The weight falls
/// to nothing at the gate's end, so that a reflection that grazes it does not steer the fit. u runs
/// from -1 to 1 over the fit.
struct Trend {
  double mean = 0.0;
  double tilt = 0.0;
  double curvature = 0.0;
  double middle = 0.0;      ///< in samples
  double half_width = 1.0;  ///< in samples

  [[nodiscard]] double value(double at) const {
    const double u = (at - middle) / half_width;
    return mean + u * (tilt + u * curvature);
  }
  [[nodiscard]] double slope(double at) const {
    return (tilt + 2.0 * curvature * (at - middle) / half_width) / half_width;
  }
};

Trend trend_of(std::span<const double> h, std::size_t first, std::size_t end) {
  if (end < first + 8) return {};
  const auto count = static_cast<double>(end - first);
  Trend trend{.middle = static_cast<double>(first) + 0.5 * (count - 1.0),
              .half_width = 0.5 * count};
  // A Hann weight keeps what rings quicker than the gate resolves out of the fit. It is even, so
  // the odd moments vanish.
  double n0 = 0, n2 = 0, n4 = 0, s0 = 0, s1 = 0, s2 = 0;
  for (std::size_t i = first; i < end; ++i) {
    const double u = (static_cast<double>(i) - trend.middle) / trend.half_width;
    const double w = 0.5 + 0.5 * std::cos(kPi * u);
    n0 += w;
    n2 += w * u * u;
    n4 += w * u * u * u * u;
    s0 += w * h[i];
    s1 += w * h[i] * u;
    s2 += w * h[i] * u * u;
  }
  trend.curvature = (s2 - s0 * n2 / n0) / (n4 - n2 * n2 / n0);
  trend.mean = (s0 - trend.curvature * n2) / n0;
  trend.tilt = s1 / n2;
  return trend;
}

}  // namespace

std::vector<std::complex<double>> spectrum_on_axis(std::span<const double> x, double sample_rate_hz,
                                                   double shift, const FrequencyAxis& axis) {
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
    const double at = std::min(axis[i] / sample_rate_hz * static_cast<double>(n),
                               static_cast<double>(bins.size() - 1));
    const auto k = std::min(static_cast<std::size_t>(at), bins.size() - 2);
    const auto between = bins[k] + (at - static_cast<double>(k)) * (bins[k + 1] - bins[k]);
    values[i] = between * std::polar(1.0, 2.0 * kPi * axis[i] / sample_rate_hz * rest);
  }
  return values;
}

Response gated_response(const ImpulseResponse& response, const Gate& gate,
                        const FrequencyAxis& axis, Quantity quantity) {
  const double rate = response.sample_rate_hz;
  const std::vector<double>& h = response.samples;
  const double arrival = gate.arrival_s * rate + response.zero_at;
  const double length = gate.length_s * rate;
  const double lead = std::max(gate.lead_s * rate, 1.0);
  const auto limit = static_cast<double>(h.size());
  const auto begin = static_cast<std::size_t>(std::clamp(std::ceil(arrival - lead), 0.0, limit));
  const auto end =
      static_cast<std::size_t>(std::clamp(std::floor(arrival + length) + 1.0, 0.0, limit));

  std::vector<double> x;
  double shift = 0.0;
  if (begin < end) {
    x.assign(h.begin() + static_cast<std::ptrdiff_t>(begin),
             h.begin() + static_cast<std::ptrdiff_t>(end));
    shift = arrival - static_cast<double>(begin);
    const double fall_from = shift + (1.0 - kFallingShare) * length;
    const double fall_length = kFallingShare * length;
    const double fit_from = shift + kFitFrom * length;
    Trend trend;
    if (gate.tail == GateTail::kContinued && fall_from < static_cast<double>(x.size())) {
      trend = trend_of(x, static_cast<std::size_t>(std::max(fit_from, 0.0)),
                       static_cast<std::size_t>(std::clamp(shift + kFitTo * length, 0.0,
                                                           static_cast<double>(x.size()))));
    }
    for (std::size_t i = 0; i < x.size(); ++i) {
      const double at = static_cast<double>(i);
      if (at < shift) x[i] *= falling_half_hann((shift - at) / lead);
      const double w = falling_half_hann((at - fall_from) / fall_length);
      if (w < 1.0) x[i] = w * x[i] + (1.0 - w) * trend.value(at);
    }
    if (gate.tail == GateTail::kContinued) {
      // (A + B s) exp(-s / tau), s counted from the gate's end, goes on with the trend's value and
      // slope there.
      const double last = static_cast<double>(x.size()) - 0.5;
      const double tau = length;
      const double a = trend.value(last);
      const double b = trend.slope(last) + a / tau;
      const auto more = static_cast<std::size_t>(std::ceil(16.0 * tau));
      x.reserve(x.size() + more);
      for (std::size_t i = 0; i < more; ++i) {
        const double s = static_cast<double>(i) + 0.5;
        x.push_back((a + b * s) * std::exp(-s / tau));
      }
    }
  }
  auto values = spectrum_on_axis(x, rate, shift, axis);
  const ValidRange valid = intersect(response.excited, {valid_from_hz(gate.length_s), 0.5 * rate});
  return *Response::make(axis, std::move(values), quantity, valid, true);
}

Response ungated_response(const ImpulseResponse& response, double arrival_s,
                          const FrequencyAxis& axis, Quantity quantity) {
  const double rate = response.sample_rate_hz;
  // What stands before t = 0 is kept where it belongs: it is part of the transfer function (band
  // limits).
  auto values = spectrum_on_axis(response.samples, rate, arrival_s * rate + response.zero_at, axis);
  return *Response::make(axis, std::move(values), quantity,
                         intersect(response.excited, {0.0, 0.5 * rate}), true);
}

}  // namespace lalometer
