#include "acoustics/spectrum/smoothing.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <optional>

#include "acoustics/spectrum/unit_turn.h"
#include "base/constants.h"

namespace lalometer {
namespace {

/// Power and complex value of a curve, which are averaged alike.
struct Point {
  double power = 0.0, real = 0.0, imaginary = 0.0;

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

/// log2 of an axis, and one over the step from each point to the next.
struct Octaves {
  std::vector<double> at, per;
};

/// Running integral of what is piecewise linear over x, so that a window's mean is two look-ups.
class RunningIntegral {
 public:
  RunningIntegral(const Octaves& x, const std::vector<Point>& y)
      : x_(x.at), per_(x.per), y_(y), sum_(y.size()) {
    for (std::size_t i = 1; i < y_.size(); ++i)
      sum_[i] = sum_[i - 1] + 0.5 * (x_[i] - x_[i - 1]) * (y_[i] + y_[i - 1]);
  }
  /// Integral from the first point to x at segment i (x_[i] <= at <= x_[i + 1]).
  [[nodiscard]] Point upto(std::size_t i, double at) const {
    const double past = at - x_[i];
    const double t = past * per_[i];
    return sum_[i] + past * (y_[i] + 0.5 * t * (y_[i + 1] - y_[i]));
  }

 private:
  const std::vector<double>& x_;
  const std::vector<double>& per_;
  const std::vector<Point>& y_;
  std::vector<Point> sum_;
};

struct Window {
  std::size_t low_index, high_index;
  double low, high;
  double per;  ///< one over its width; 0 where it is a point
};

/// Windows at rising places: each is sought from the one before it.
class Windows {
 public:
  Windows(const std::vector<double>& x, double half_width)
      : x_(x), half_width_(half_width), per_(0.5 / half_width) {}

  Window at(double middle) {
    const double half =
        std::max(std::min({half_width_, middle - x_.front(), x_.back() - middle}), 0.0);
    const double low = middle - half;
    const double high = middle + half;
    const double per = half == half_width_ ? per_ : high > low ? 1.0 / (high - low) : 0.0;
    return {segment(low, low_), segment(high, high_), low, high, per};
  }

 private:
  /// The segment that holds a place; the last place before it is where the search begins.
  std::size_t segment(double at, std::size_t& from) const {
    while (from + 2 < x_.size() && x_[from + 1] <= at) ++from;
    while (from > 0 && x_[from] > at) --from;
    return from;
  }

  const std::vector<double>& x_;
  double half_width_, per_;
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

Point window_mean(const RunningIntegral& integral, const Window& w, const std::vector<double>& x,
                  const std::vector<Point>& points) {
  if (w.per > 0.0)
    return w.per * (integral.upto(w.high_index, w.high) - integral.upto(w.low_index, w.low));
  // At the very ends the window is a point.
  const bool first = std::abs(x[w.low_index] - w.low) < std::abs(x[w.low_index + 1] - w.low);
  return points[first ? w.low_index : w.low_index + 1];
}

/// log2 of an axis, from one curve to the next: the curves of a set lie on the same.
const Octaves& octaves_of(const FrequencyAxis& axis) {
  thread_local std::optional<FrequencyAxis> of;
  thread_local Octaves octaves;
  if (of && *of == axis) return octaves;
  of = axis;
  octaves = {};
  for (const double f : axis.hz()) octaves.at.push_back(std::log2(f));
  for (std::size_t i = 1; i < axis.size(); ++i)
    octaves.per.push_back(1.0 / (octaves.at[i] - octaves.at[i - 1]));
  return octaves;
}

enum class Magnitude { kPower, kComplex };

/// @param axis  where it is read; the curve's own, or a coarser one.
Response smooth_with(const Response& curve, const FrequencyAxis& axis, int bands_per_octave,
                     Magnitude rule) {
  const std::size_t n = curve.size();
  const Octaves& octaves = octaves_of(curve.axis());
  const std::vector<double>& x = octaves.at;
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
    if (slope != 0.0) back[i] = unit_turn(slope * curve.axis()[i]);
    const std::complex<double> v = curve.value(i);
    points[i] = {std::norm(v), v.real() * back[i].real() + v.imag() * back[i].imag(),
                 v.imag() * back[i].real() - v.real() * back[i].imag()};
  }
  const RunningIntegral integral(octaves, points);

  const bool own = &axis == &curve.axis();
  std::vector<std::complex<double>> values(axis.size());
  Windows windows(x, 0.5 / bands_per_octave);
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const Window w = windows.at(own ? x[i] : std::log2(axis[i]));
    const Point mean = window_mean(integral, w, x, points);
    if (rule == Magnitude::kComplex) {
      values[i] = {mean.real, mean.imaginary};
      continue;
    }
    const double square = mean.real * mean.real + mean.imaginary * mean.imaginary;
    const std::complex<double> on = own ? back[i] : unit_turn(slope * axis[i]);
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
