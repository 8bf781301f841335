#include "acoustics/level/harmonic_values.h"

#include <algorithm>
#include <cmath>

#include "base/constants.h"

namespace lalometer {

void set_value(Harmonic& h, std::size_t i, double power, double phase, const ValueNoise& n,
               double least) {
  // A level that holds to 0.5 dB (95 %): relative deviation of the power at most 0.0588.
  constexpr double kHolds = 0.5 / 4.342945 / kTwoSided95;
  const double signal = std::max(power - n.power, 0.0);
  const double a = kHolds * kHolds * n.lines;
  const double holds_from = n.power * (1.0 + std::sqrt(1.0 + a)) / a;
  const double floor = std::sqrt(std::max(n.whole, 0.25 * holds_from));
  h.value[i] = std::polar(std::sqrt(signal), phase);
  h.floor[i] = h.order > 1 ? std::max(floor, least) : std::sqrt(n.power);
  const double deviation = std::sqrt((2.0 * signal * n.power + n.power * n.power) / n.lines);
  h.spread[i] = signal > 0.0 ? 0.5 * deviation / signal : 1.0;
  constexpr double kOneSided95 = 1.645;
  h.at_most[i] = std::sqrt(signal + kOneSided95 * deviation);
}

void add_thd(Harmonics& h) {
  const std::vector<std::complex<double>>& fundamental = h.order(1).value;
  for (std::size_t i = 0; i < h.axis.size(); ++i) {
    const double f = h.axis[i];
    Thd t;
    double heard = 0.0;
    double below = 0.0;
    double variance = 0.0;
    for (int n = 2; n <= kHighestOrder; ++n) {
      const Harmonic& one = h.order(n);
      if (!one.valid.contains(f)) continue;
      if (n == 2) t.known = true;
      if (n == 3) t.whole = true;
      const double power = std::norm(one.value[i]);
      if (one.heard(i, f)) {
        heard += power;
        variance += std::pow(2.0 * power * one.spread[i], 2);
      } else {
        below += std::pow(one.at_most[i], 2);
      }
    }
    const double base = std::norm(fundamental[i]);
    t.known = t.known && base > 0.0 && h.order(1).heard(i, f);
    t.whole = t.whole && t.known;
    if (t.known) {
      t.ratio = std::sqrt(heard / base);
      t.at_most = std::sqrt((heard + below) / base);
      t.spread =
          heard > 0.0 ? std::hypot(0.5 * std::sqrt(variance) / heard, h.order(1).spread[i]) : 0.0;
    }
    h.thd.push_back(t);
  }
}

}  // namespace lalometer
