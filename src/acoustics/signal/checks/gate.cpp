#include "acoustics/signal/checks/gate.h"

#include <algorithm>
#include <cmath>

#include "acoustics/signal/checks/axis_transform.h"
#include "acoustics/signal/windows.h"
#include "acoustics/spectrum/unit_turn.h"
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
    const double w = 0.5 + 0.5 * unit_turn(kPi * u).real();
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

/// What lies in a gate, its windows on it, and the trend that it goes on with.
struct Gated {
  std::vector<double> samples;
  double shift = 0.0;  ///< where the arrival lies, in samples
  Trend trend;
};

Gated gated_samples(const ImpulseResponse& response, const Gate& gate) {
  const double rate = response.sample_rate_hz;
  const std::vector<double>& h = response.samples;
  const double arrival = gate.arrival_s * rate + response.zero_at;
  const double length = gate.length_s * rate;
  const double lead = std::max(gate.lead_s * rate, 1.0);
  const auto limit = static_cast<double>(h.size());
  const auto begin = static_cast<std::size_t>(std::clamp(std::ceil(arrival - lead), 0.0, limit));
  const auto end =
      static_cast<std::size_t>(std::clamp(std::floor(arrival + length) + 1.0, 0.0, limit));
  Gated g;
  if (begin >= end) return g;
  std::vector<double>& x = g.samples;
  x.assign(h.begin() + static_cast<std::ptrdiff_t>(begin),
           h.begin() + static_cast<std::ptrdiff_t>(end));
  g.shift = arrival - static_cast<double>(begin);
  const double fall_from = g.shift + (1.0 - kFallingShare) * length;
  const double fall_length = kFallingShare * length;
  const double fit_from = g.shift + kFitFrom * length;
  if (gate.tail == GateTail::kContinued && fall_from < static_cast<double>(x.size())) {
    g.trend = trend_of(x, static_cast<std::size_t>(std::max(fit_from, 0.0)),
                       static_cast<std::size_t>(std::clamp(g.shift + kFitTo * length, 0.0,
                                                           static_cast<double>(x.size()))));
  }
  for (std::size_t i = 0; i < x.size() && static_cast<double>(i) < g.shift; ++i)
    x[i] *= falling_half_hann((g.shift - static_cast<double>(i)) / lead);
  for (auto i = static_cast<std::size_t>(std::max(fall_from, 0.0)); i < x.size(); ++i) {
    const double at = static_cast<double>(i);
    const double w = falling_half_hann((at - fall_from) / fall_length);
    if (w < 1.0) x[i] = w * x[i] + (1.0 - w) * g.trend.value(at);
  }
  return g;
}

/// A tail (a + b s) exp(-s / tau), s in samples, that goes on with a trend's value and slope.
struct Tail {
  double a, b, tau;

  static Tail after(const Trend& trend, double at, double tau) {
    const double a = trend.value(at);
    return {a, trend.slope(at) + a / tau, tau};
  }
  [[nodiscard]] double value(double s) const { return (a + b * s) * std::exp(-s / tau); }
  /// Adds the sum over s, s + 1 … to a spectrum: geometric series.
  void add_from(double s, const AxisTransform& at, std::vector<std::complex<double>>& to) const {
    const double shrink = std::exp(-1.0 / tau);
    const double front = std::exp(-s / tau);
    for (std::size_t i = 0; i < to.size(); ++i) {
      const std::complex<double> q = shrink * at.step()[i];
      const std::complex<double> rest = 1.0 - q;
      const std::complex<double> sum = std::conj(rest) / std::norm(rest);
      to[i] += at.to_end()[i] * (front * sum * (a + b * s + b * q * sum));
    }
  }
};

}  // namespace

std::vector<std::complex<double>> spectrum_on_axis(std::span<const double> x, double sample_rate_hz,
                                                   double shift, const FrequencyAxis& axis) {
  const auto kept = AxisTransform::kept(std::max<std::size_t>(x.size(), 1), sample_rate_hz, axis);
  const AxisTransform& transform = *kept;
  std::vector<std::complex<double>> values = transform.of(x);
  const double forward = shift - static_cast<double>(transform.middle());
  for (std::size_t i = 0; i < values.size(); ++i)
    values[i] *= unit_turn(transform.turn()[i] * forward);
  return values;
}

Response gated_response(const ImpulseResponse& response, const Gate& gate,
                        const FrequencyAxis& axis, Quantity quantity,
                        std::optional<double> zero_s) {
  const double rate = response.sample_rate_hz;
  Gated gated = gated_samples(response, gate);
  const std::size_t count = gated.samples.size();
  std::vector<std::complex<double>> values(axis.size());
  if (count > 0) {
    // Gates of nearly the same length share what a length costs.
    constexpr std::size_t kSteps = 64;
    const auto kept = AxisTransform::kept((count + kSteps - 1) / kSteps * kSteps, rate, axis);
    const AxisTransform& transform = *kept;
    const bool goes_on = gate.tail == GateTail::kContinued;
    // The tail's time counts from half a sample before its first.
    const Tail tail =
        Tail::after(gated.trend, static_cast<double>(count) - 0.5, gate.length_s * rate);
    if (goes_on)
      for (double s = 0.5; gated.samples.size() < transform.length(); s += 1.0)
        gated.samples.push_back(tail.value(s));
    values = transform.of(gated.samples);
    const double forward = gated.shift - static_cast<double>(transform.middle()) +
                           (zero_s.value_or(gate.arrival_s) - gate.arrival_s) * rate;
    if (goes_on)
      tail.add_from(static_cast<double>(transform.length() - count) + 0.5, transform, values);
    for (std::size_t i = 0; i < values.size(); ++i)
      values[i] *= unit_turn(transform.turn()[i] * forward);
  }
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
