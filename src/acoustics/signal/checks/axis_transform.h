#pragma once

#include <complex>
#include <memory>
#include <span>
#include <vector>

#include "acoustics/spectrum/frequency_axis.h"

namespace lalometer {

/// Reads the spectrum of short signals at the frequencies of an axis: sum_n x[n] exp(-j w (n -
/// middle())), w = 2 pi f / rate.
///
/// A transform of some twice the length, whose lines near each frequency are weighted by a
/// Kaiser-Bessel function, while the samples were divided by that function's own transform: within
/// 1e-10 of the sum of magnitudes, where a straight line between the lines of eight times the
/// length is within some 1e-3. What depends on axis and length alone is worked out once. Source: J.
/// A. Fessler, B. P. Sutton, Nonuniform fast Fourier transforms using min-max interpolation, IEEE
/// Trans. Signal Processing 51 (2003), the Kaiser-Bessel case.
class AxisTransform {
 public:
  /// @param length  of the longest signal, at least 1. @param axis  up to half the rate; what lies
  /// beyond is read there.
  AxisTransform(std::size_t length, double sample_rate_hz, const FrequencyAxis& axis);
  /// From one signal to the next of a kind, for all threads: the last few that were asked for are
  /// kept.
  [[nodiscard]] static std::shared_ptr<const AxisTransform> kept(std::size_t length,
                                                                 double sample_rate_hz,
                                                                 const FrequencyAxis& axis);

  /// @param x  at most length() samples.
  [[nodiscard]] std::vector<std::complex<double>> of(std::span<const double> x) const;

  [[nodiscard]] std::size_t length() const { return length_; }
  /// The sample that counts as time zero.
  [[nodiscard]] std::size_t middle() const { return length_ / 2; }
  /// w of each frequency, radians a sample.
  [[nodiscard]] const std::vector<double>& turn() const { return turn_; }
  /// exp(-j w) of each frequency.
  [[nodiscard]] const std::vector<std::complex<double>>& step() const { return step_; }
  /// exp(-j w (length() - middle())) of each frequency: where what follows the longest signal
  /// starts.
  [[nodiscard]] const std::vector<std::complex<double>>& to_end() const { return to_end_; }

 private:
  std::size_t length_;
  double rate_hz_;
  FrequencyAxis axis_;
  std::size_t size_;          ///< of the transform
  std::vector<double> turn_;  ///< of each frequency
  std::vector<std::complex<double>> step_, to_end_;
  std::vector<double> weight_;      ///< of each sample
  std::vector<std::ptrdiff_t> at_;  ///< of each frequency, its first line; may be negative
  std::vector<double> share_;       ///< of each frequency, of its lines
};

}  // namespace lalometer
