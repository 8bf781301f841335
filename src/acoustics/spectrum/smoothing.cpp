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

/// Windows at rising places: each is sought from the one before it.
class Windows {
 public:
  Windows(const std::vector<double>& x, double half_width) : x_(x), half_width_(half_width) {}

  Window at(double middle) {
    const double half =
        std::max(std::min({half_width_, middle - x_.front(), x_.back() - middle}), 0.0);
    const double low = middle - half;
    const double high = middle + half;
    return {segment(low, low_), segment(high, high_), low, high};
  }

 private:
  /// The segment that holds a place; the last place before it is where the search begins.
  std::size_t segment(double at, std::size_t& from) const {
    while (from + 2 < x_.size() && x_[from + 1] <= at) ++from;
    while (from > 0 && x_[from] > at) --from;
    return from;
  }

  const std::vector<double>& x_;
  double half_width_;
  std::size_t low_ = 0, high_ = 0;
};

/// From the first value's phase to the last one's, by the shortest way from each to the next: their
/// own phases, and how often the way crosses the negative real axis.
double whole_turn(const std::vector<std::complex<double>>& values) {
  double turns = 0.0;
  for (std::size_t i = 1; i < values.size(); ++i) {
    const std::complex<double>& a = values[i - 1];
    const std::complex<double>& b = values[i];
    const bool above = a.imag() >= 0.0;
    if (above == (b.imag() >= 0.0)) continue;
    const double forward = a.real() * b.imag() - a.imag() * b.real();
    if (above && forward > 0.0) turns += 1.0;
    if (!above && forward < 0.0) turns -= 1.0;
  }
  return std::arg(values.back()) - std::arg(values.front()) + 2.0 * kPi * turns;
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
    slope = whole_turn(curve.values()) / (curve.axis().back() - curve.axis().front());
  }
  std::vector<std::complex<double>> back(n, 1.0);
  for (std::size_t i = 0; i < n; ++i) {
    if (slope != 0.0) back[i] = std::polar(1.0, slope * curve.axis()[i]);
    const auto turned = curve.value(i) * std::conj(back[i]);
    power[i] = std::norm(turned);
    real[i] = turned.real();
    imaginary[i] = turned.imag();
  }
  const RunningIntegral power_integral(x, power);
  const RunningIntegral real_integral(x, real);
  const RunningIntegral imaginary_integral(x, imaginary);

  const bool own = &axis == &curve.axis();
  std::vector<std::complex<double>> values(axis.size());
  Windows windows(x, 0.5 / bands_per_octave);
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const Window w = windows.at(own ? x[i] : std::log2(axis[i]));
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
    const double length = std::sqrt(std::norm(mean));
    const std::complex<double> on = own ? back[i] : std::polar(1.0, slope * axis[i]);
    values[i] = magnitude * on * (length > 0.0 ? mean / length : std::complex<double>(1.0));
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
