#pragma once

#include <complex>
#include <vector>

#include "base/result.h"

namespace lalometer {

enum class FilterShape { kButterworth, kLinkwitzRiley, kBessel };
enum class FilterPass { kLow, kHigh };

/// An active filter of order 1..4 as an analogue prototype at a corner. Butterworth and Bessel are
/// -3 dB at the corner; Linkwitz-Riley (orders 2 and 4 only: two Butterworths of half the order in
/// a row) -6 dB. High-passes are the low-pass with f/fc turned over. Sources: textbook pole
/// polynomials; S. H. Linkwitz, J. Audio Eng. Soc. 24 (1976) 2; Bessel polynomials (delay-flat),
/// scaled here to -3 dB.
class ActiveFilter {
 public:
  struct Values {
    FilterShape shape;
    FilterPass pass;
    int order;
    double corner_hz;
  };
  [[nodiscard]] static Result<ActiveFilter> make(const Values& values);
  /// exp(+j w t). @param frequency_hz > 0.
  [[nodiscard]] std::complex<double> at(double frequency_hz) const;

 private:
  explicit ActiveFilter(const Values& values);
  Values values_;
  std::vector<double> polynomial_;  ///< of the low-pass denominator, s^0 first
  int power_ = 1;                   ///< how often it stands in a row
};

/// One way of an active crossover.
struct ActiveWay {
  std::vector<ActiveFilter> filters;
  double gain_db = 0.0;
  double delay_s = 0.0;
  bool inverted = false;
  [[nodiscard]] std::complex<double> at(double frequency_hz) const;
};

}  // namespace lalometer
