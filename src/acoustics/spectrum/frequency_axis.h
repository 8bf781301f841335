#pragma once

#include <algorithm>
#include <cstddef>
#include <memory>
#include <span>
#include <vector>

#include "base/result.h"

namespace lalometer {

/// The frequencies a curve is given at, in Hz: finite, above 0, strictly rising, at least one.
/// The invariant is checked once, in make(); functions over an axis trust it. Copies share them.
class FrequencyAxis {
 public:
  [[nodiscard]] static Result<FrequencyAxis> make(std::vector<double> frequency_hz);

  /// f_i = low * 2^(i / points_per_octave), ending exactly at or just below high.
  /// Precondition: 0 < low < high, points_per_octave > 0.
  [[nodiscard]] static FrequencyAxis logarithmic(double low_hz, double high_hz,
                                                 double points_per_octave);

  [[nodiscard]] std::size_t size() const { return hz_.size(); }
  [[nodiscard]] double operator[](std::size_t i) const { return hz_[i]; }
  [[nodiscard]] double front() const { return hz_.front(); }
  [[nodiscard]] double back() const { return hz_.back(); }
  [[nodiscard]] std::span<const double> hz() const& { return hz_; }
  /// A view of a temporary would dangle (also in a range-for).
  std::span<const double> hz() && = delete;

  /// Index of the last frequency <= f, clamped to [0, size - 2] so that i and i + 1 bracket f where
  /// f is on the axis. For an axis of one point it is 0.
  [[nodiscard]] std::size_t bracket(double frequency_hz) const;

  friend bool operator==(const FrequencyAxis& a, const FrequencyAxis& b) {
    return a.kept_ == b.kept_ || std::ranges::equal(a.hz_, b.hz_);
  }

 private:
  explicit FrequencyAxis(std::vector<double> frequency_hz)
      : kept_(std::make_shared<const std::vector<double>>(std::move(frequency_hz))), hz_(*kept_) {}
  std::shared_ptr<const std::vector<double>> kept_;
  std::span<const double> hz_;
};

/// A value between the points of an axis, by a straight line over log f; the end values beyond it.
/// Precondition: one value per frequency.
[[nodiscard]] double value_between(const FrequencyAxis& axis, std::span<const double> values,
                                   double frequency_hz);

/// The range in which a curve means anything. Outside it figures are not claimed.
struct ValidRange {
  double low_hz = 0.0;
  double high_hz = 1e12;

  [[nodiscard]] bool contains(double frequency_hz) const {
    return frequency_hz >= low_hz && frequency_hz <= high_hz;
  }
  friend bool operator==(const ValidRange&, const ValidRange&) = default;
};

/// The range in which both mean something; may be empty (low above high).
[[nodiscard]] ValidRange intersect(const ValidRange& a, const ValidRange& b);

}  // namespace lalometer
