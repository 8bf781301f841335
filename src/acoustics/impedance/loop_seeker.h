#pragma once

#include <complex>
#include <cstddef>
#include <memory>
#include <vector>

namespace lalometer {

/// A resonance tried at one place of an impedance's departure from its ground.
struct LoopTrial {
  double log_f = 0.0;  ///< ln of Hz
  double q = 0.0;
  std::complex<double> height = 0.0;  ///< at the top, in nepers and radians
  double significance = -1.0;         ///< half the drop of the squares, in variances of the noise
  double explained = 0.0;             ///< share of what the ground alone leaves
};

/// Seeks resonances over a curve's smooth ground, the most significant first: at each place of a
/// grid of places and Qs a cubic and a resonance are fitted by least squares; the best is then
/// refined. What of the grid doesn't change with the curve is kept, so that one seeker looks at
/// several grounds of one list quickly.
class LoopSeeker {
 public:
  /// A trial is told only from this significance.
  static constexpr double kThreshold = 19.0;

  /// @param frequency_hz  rising, above 0, at least 3 rows
  /// @param complex       the curve has a phase; else its real parts count
  /// @param least_q       of what is sought; up to 160
  LoopSeeker(const std::vector<double>& frequency_hz, bool complex, double least_q);
  ~LoopSeeker();
  LoopSeeker(LoopSeeker&&) noexcept;
  LoopSeeker& operator=(LoopSeeker&&) noexcept;

  /// The curve in which they are sought, ln of impedance over ground at each row. Its noise is
  /// read off its own bends.
  void look_at(std::vector<std::complex<double>> departures);
  /// A significance of -1 where nothing reaches half the threshold.
  [[nodiscard]] LoopTrial strongest();
  void take_out(const LoopTrial& trial);

 private:
  class Inside;
  std::unique_ptr<Inside> inside_;
};

/// 1 / (1 + j Q (f/f0 - f0/f)). @param x  ln(f / f0)
[[nodiscard]] std::complex<double> loop_shape(double x, double q);

}  // namespace lalometer
