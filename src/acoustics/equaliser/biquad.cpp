#include "acoustics/equaliser/biquad.h"

#include <cmath>

#include "base/constants.h"

namespace lalometer {

std::string_view word_of(BiquadKind kind) {
  switch (kind) {
    case BiquadKind::kLowShelf:
      return "low-shelf";
    case BiquadKind::kHighShelf:
      return "high-shelf";
    default:
      return "peaking";
  }
}

std::complex<double> Biquad::at(double frequency_hz, double sample_rate_hz) const {
  const auto z = std::polar(1.0, -2.0 * kPi * frequency_hz / sample_rate_hz);
  return (b[0] + z * (b[1] + z * b[2])) / (a[0] + z * (a[1] + z * a[2]));
}

Biquad biquad_of(const BandFilter& f, double rate) {
  const double amplitude = std::pow(10.0, f.gain_db / 40.0);
  const double w = 2.0 * kPi * f.frequency_hz / rate;
  const double cosine = std::cos(w);
  const double alpha = std::sin(w) / (2.0 * f.q);
  std::array<double, 3> b{};
  std::array<double, 3> a{};
  if (f.kind == BiquadKind::kPeaking) {
    b = {1.0 + alpha * amplitude, -2.0 * cosine, 1.0 - alpha * amplitude};
    a = {1.0 + alpha / amplitude, -2.0 * cosine, 1.0 - alpha / amplitude};
  } else {
    // A high shelf is a low one with the frequency turned over.
    const double side = f.kind == BiquadKind::kLowShelf ? 1.0 : -1.0;
    const double plus = amplitude + 1.0;
    const double minus = amplitude - 1.0;
    const double root = 2.0 * std::sqrt(amplitude) * alpha;
    b = {amplitude * (plus - side * minus * cosine + root),
         side * 2.0 * amplitude * (minus - side * plus * cosine),
         amplitude * (plus - side * minus * cosine - root)};
    a = {plus + side * minus * cosine + root, -side * 2.0 * (minus + side * plus * cosine),
         plus + side * minus * cosine - root};
  }
  Biquad out;
  for (std::size_t k = 0; k < 3; ++k) {
    out.b[k] = b[k] / a[0];
    out.a[k] = a[k] / a[0];
  }
  return out;
}

double gain_db(const std::vector<BandFilter>& filters, double frequency_hz, double rate) {
  double sum = 0.0;
  for (const BandFilter& f : filters)
    sum += 20.0 * std::log10(std::abs(biquad_of(f, rate).at(frequency_hz, rate)));
  return sum;
}

}  // namespace lalometer
