#include "acoustics/spectrum/smoothing.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "base/constants.h"

namespace lalometer {
namespace {

/// Power and complex value of a curve, which are averaged alike.
struct Point {
  double power, real, imaginary;

  friend Point operator+(const Point& a, const Point& b) {
    return {a.power + b.power, a.real + b.real, a.imaginary + b.imaginary};
  }
  friend Point operator-(const Point& a, const Point& b) {
    return {a.power - b.power, a.real - b.real, a.imaginary - b.imaginary};
  }
  friend Point operator*(double k, const Point& a) {
    return {k * a.power, k * a.real, k * a.imaginary};
  }
};

/// Running integral of what is piecewise linear over x, so that a window's mean is two look-ups.
class RunningIntegral {
 public:
  RunningIntegral(const std::vector<double>& x, const std::vector<Point>& y)
      : x_(x), y_(y), sum_(y.size(), Point{0.0, 0.0, 0.0}) {
    for (std::size_t i = 1; i < y_.size(); ++i)
      sum_[i] = sum_[i - 1] + 0.5 * (x_[i] - x_[i - 1]) * (y_[i] + y_[i - 1]);
  }
  /// Integral from the first point to x at segment i (x_[i] <= at <= x_[i + 1]).
  [[nodiscard]] Point upto(std::size_t i, double at) const {
    const double past = at - x_[i];
    const double t = past / (x_[i + 1] - x_[i]);
    return sum_[i] + past * (y_[i] + 0.5 * t * (y_[i + 1] - y_[i]));
  }

 private:
  const std::vector<double>& x_;
  const std::vector<Point>& y_;
  std::vector<Point> sum_;
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

Point window_mean(const RunningIntegral& integral, const Window& w, const Point& at_point) {
  if (w.high <= w.low) return at_point;
  return 1.0 / (w.high - w.low) *
         (integral.upto(w.high_index, w.high) - integral.upto(w.low_index, w.low));
}

/// log2 of an axis, from one curve to the next: the curves of a set lie on the same.
const std::vector<double>& octaves_of(const FrequencyAxis& axis) {
  thread_local std::vector<double> of, octaves;
  if (!std::equal(axis.hz().begin(), axis.hz().end(), of.begin(), of.end())) {
    of.assign(axis.hz().begin(), axis.hz().end());
    octaves.resize(of.size());
    std::transform(of.begin(), of.end(), octaves.begin(), [](double f) { return std::log2(f); });
  }
  return octaves;
}

enum class Magnitude { kPower, kComplex };

/// @param axis  where it is read; the curve's own, or a coarser one.
Response smooth_with(const Response& curve, const FrequencyAxis& axis, int bands_per_octave,
                     Magnitude rule) {
  const std::size_t n = curve.size();
  const std::vector<double>& x = octaves_of(curve.axis());
  // With a steep phase the complex mean vanishes; the mean slope over frequency is only a delay and
  // is put back afterwards. The complex option leaves it in, as its name says.
  double slope = 0.0;
  if (curve.has_phase() && rule == Magnitude::kPower && curve.flight_s() != 0.0) {
    slope = -2.0 * kPi * curve.flight_s();
  } else if (curve.has_phase() && rule == Magnitude::kPower) {
    slope = whole_turn(curve.values()) / (curve.axis().back() - curve.axis().front());
  }
  std::vector<std::complex<double>> back(n, 1.0);
  std::vector<Point> points(n);
  for (std::size_t i = 0; i < n; ++i) {
    if (slope != 0.0) back[i] = std::polar(1.0, slope * curve.axis()[i]);
    const std::complex<double> v = curve.value(i);
    points[i] = {std::norm(v), v.real() * back[i].real() + v.imag() * back[i].imag(),
                 v.imag() * back[i].real() - v.real() * back[i].imag()};
  }
  const RunningIntegral integral(x, points);

  const bool own = &axis == &curve.axis();
  std::vector<std::complex<double>> values(axis.size());
  Windows windows(x, 0.5 / bands_per_octave);
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const Window w = windows.at(own ? x[i] : std::log2(axis[i]));
    // At the very ends the window is a point.
    const std::size_t at = std::abs(x[w.low_index] - w.low) < std::abs(x[w.low_index + 1] - w.low)
                               ? w.low_index
                               : w.low_index + 1;
    const Point mean = window_mean(integral, w, points[at]);
    if (rule == Magnitude::kComplex) {
      values[i] = {mean.real, mean.imaginary};
      continue;
    }
    const double square = mean.real * mean.real + mean.imaginary * mean.imaginary;
    const std::complex<double> on = own ? back[i] : std::polar(1.0, slope * axis[i]);
    if (square > 0.0) {
      const double scale = std::sqrt(std::max(mean.power, 0.0) / square);
      values[i] = {scale * (on.real() * mean.real - on.imag() * mean.imaginary),
                   scale * (on.real() * mean.imaginary + on.imag() * mean.real)};
    } else {
      values[i] = std::sqrt(std::max(mean.power, 0.0)) * on;
    }
  }
  Response smooth =
      *Response::make(axis, std::move(values), curve.quantity(), curve.valid(), curve.has_phase());
  if (curve.flight_s() != 0.0) smooth = smooth.with_flight(curve.flight_s());
  // What neighbours have in common is not known, so that smoothing does not narrow the spread.
  if (!curve.spread().empty()) smooth = smooth.with_spread(resampled(curve, axis).spread());
  return smooth;
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
