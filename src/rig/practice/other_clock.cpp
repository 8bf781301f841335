#include "rig/practice/other_clock.h"

#include <cmath>

#include "base/constants.h"

namespace lalometer {

std::vector<double> at_other_clock(const std::vector<double>& x, double ratio, std::size_t length) {
  constexpr int kHalf = 16;
  std::vector<double> y(length, 0.0);
  for (std::size_t i = 0; i < y.size(); ++i) {
    const double at = static_cast<double>(i) / ratio;
    const auto first = static_cast<std::ptrdiff_t>(std::floor(at)) - kHalf + 1;
    double sum = 0.0;
    for (std::ptrdiff_t k = first; k < first + 2 * kHalf; ++k) {
      if (k < 0 || k >= static_cast<std::ptrdiff_t>(x.size())) continue;
      const double d = at - static_cast<double>(k);
      const double sinc = std::abs(d) < 1e-12 ? 1.0 : std::sin(kPi * d) / (kPi * d);
      const double window = std::pow(std::cos(0.5 * kPi * d / kHalf), 2);
      sum += x[static_cast<std::size_t>(k)] * sinc * window;
    }
    y[i] = sum;
  }
  return y;
}

void lose(std::vector<double>& x, std::size_t at, std::size_t count) {
  if (at + count >= x.size()) return;
  const std::size_t length = x.size();
  x.erase(x.begin() + static_cast<std::ptrdiff_t>(at),
          x.begin() + static_cast<std::ptrdiff_t>(at + count));
  x.resize(length, 0.0);
}

void repeat(std::vector<double>& x, std::size_t at, std::size_t count) {
  if (at + count >= x.size()) return;
  const std::size_t length = x.size();
  const std::vector<double> stretch(x.begin() + static_cast<std::ptrdiff_t>(at),
                                    x.begin() + static_cast<std::ptrdiff_t>(at + count));
  x.insert(x.begin() + static_cast<std::ptrdiff_t>(at + count), stretch.begin(), stretch.end());
  x.resize(length);
}

}  // namespace lalometer
