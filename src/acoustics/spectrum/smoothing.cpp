#include "acoustics/spectrum/smoothing.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "base/constants.h"

namespace lalometer {
namespace {

/// Running integral of a piecewise linear function over x, so that a window's mean is two look-ups.
class RunningIntegral {
 public:
  RunningIntegral(const std::vector<double>& x, std::vector<double> y)
      : x_(x), y_(std::move(y)), sum_(y_.size(), 0.0) {
    for (std::size_t i = 1; i < y_.size(); ++i) {
      sum_[i] = sum_[i - 1] + 0.5 * (y_[i] + y_[i - 1]) * (x_[i] - x_[i - 1]);
    }
  }
  /// Integral from the first point to x at segment i (x_[i] <= at <= x_[i + 1]).
  [[nodiscard]] double upto(std::size_t i, double at) const {
    const double t = (at - x_[i]) / (x_[i + 1] - x_[i]);
    const double y_at = y_[i] + t * (y_[i + 1] - y_[i]);
    return sum_[i] + 0.5 * (y_[i] + y_at) * (at - x_[i]);
  }

 private:
  const std::vector<double>& x_;
  std::vector<double> y_;
  std::vector<double> sum_;
};

struct Window {
  std::size_t low_index, high_index;
  double low, high;
};

Window window_at(const std::vector<double>& x, double middle, double half_width) {
  const double half = std::max(std::min({half_width, middle - x.front(), x.back() - middle}), 0.0);
  const auto segment = [&](double at) {
    const auto above = std::upper_bound(x.begin(), x.end(), at);
    const auto k = static_cast<std::size_t>(above - x.begin());
    return std::clamp<std::size_t>(k, 1, x.size() - 1) - 1;
  };
  const double low = middle - half;
  const double high = middle + half;
  return {segment(low), segment(high), low, high};
}

double window_mean(const RunningIntegral& integral, const Window& w, double at_point) {
  if (w.high <= w.low) return at_point;
  return (integral.upto(w.high_index, w.high) - integral.upto(w.low_index, w.low)) /
         (w.high - w.low);
}

enum class Magnitude { kPower, kComplex };

/// @param axis  where it is read; the curve's own, or a coarser one.
Response smooth_with(const Response& curve, const FrequencyAxis& axis, int bands_per_octave,
                     Magnitude rule) {
  const std::size_t n = curve.size();
  std::vector<double> x(n);
  for (std::size_t i = 0; i < n; ++i) x[i] = std::log2(curve.axis()[i]);

  std::vector<double> power(n);
  std::vector<double> real(n);
  std::vector<double> imaginary(n);
  // With a steep phase the complex mean vanishes; the mean slope over frequency is only a delay and
  // is put back afterwards. The complex option leaves it in, as its name says.
  double slope = 0.0;
  if (curve.has_phase() && rule == Magnitude::kPower && curve.flight_s() != 0.0) {
    slope = -2.0 * kPi * curve.flight_s();
  } else if (curve.has_phase() && rule == Magnitude::kPower) {
    const std::vector<double> phase = unwrapped_phase(curve.values());
    slope = (phase.back() - phase.front()) / (curve.axis().back() - curve.axis().front());
  }
  for (std::size_t i = 0; i < n; ++i) {
    const auto turned = curve.value(i) * std::polar(1.0, -slope * curve.axis()[i]);
    power[i] = std::norm(turned);
    real[i] = turned.real();
    imaginary[i] = turned.imag();
  }
  const RunningIntegral power_integral(x, power);
  const RunningIntegral real_integral(x, real);
  const RunningIntegral imaginary_integral(x, imaginary);

  std::vector<std::complex<double>> values(axis.size());
  const double half_width = 0.5 / bands_per_octave;
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const Window w = window_at(x, std::log2(axis[i]), half_width);
    // At the very ends the window is a point.
    const std::size_t at = std::abs(x[w.low_index] - w.low) < std::abs(x[w.low_index + 1] - w.low)
                               ? w.low_index
                               : w.low_index + 1;
    const std::complex<double> mean(window_mean(real_integral, w, real[at]),
                                    window_mean(imaginary_integral, w, imaginary[at]));
    if (rule == Magnitude::kComplex) {
      values[i] = mean;
      continue;
    }
    const double magnitude = std::sqrt(std::max(window_mean(power_integral, w, power[at]), 0.0));
    values[i] = std::polar(magnitude, std::arg(mean) + slope * axis[i]);
  }
  const Response smooth =
      *Response::make(axis, std::move(values), curve.quantity(), curve.valid(), curve.has_phase());
  // What neighbours have in common is not known, so that smoothing does not narrow the spread.
  return smooth.with_flight(curve.flight_s())
      .with_spread(curve.spread().empty() ? std::vector<double>()
                                          : resampled(curve, axis).spread());
}

}  // namespace

Response smoothed(const Response& curve, int bands_per_octave) {
  if (bands_per_octave <= 0 || curve.size() < 3) return curve;
  return smooth_with(curve, curve.axis(), bands_per_octave, Magnitude::kPower);
}

Response smoothed_onto(const Response& fine, const FrequencyAxis& axis, int bands_per_octave) {
  if (bands_per_octave > 0 && fine.size() >= 3)
    return smooth_with(fine, axis, bands_per_octave, Magnitude::kPower);
  std::vector<std::complex<double>> values(axis.size());
  const auto hz = fine.axis().hz();
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const auto above = std::upper_bound(hz.begin(), hz.end(), axis[i]);
    const auto k =
        std::clamp<std::size_t>(static_cast<std::size_t>(above - hz.begin()), 1, fine.size() - 1);
    const double t = std::clamp((axis[i] - hz[k - 1]) / (hz[k] - hz[k - 1]), 0.0, 1.0);
    values[i] = fine.value(k - 1) + t * (fine.value(k) - fine.value(k - 1));
  }
  return *Response::make(axis, std::move(values), fine.quantity(), fine.valid(), fine.has_phase());
}

Response complex_smoothed(const Response& curve, int bands_per_octave) {
  if (bands_per_octave <= 0 || curve.size() < 3) return curve;
  return smooth_with(curve, curve.axis(), bands_per_octave, Magnitude::kComplex);
}

}  // namespace lalometer
