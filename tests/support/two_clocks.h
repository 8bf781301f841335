#pragma once

#include <cmath>
#include <functional>
#include <random>
#include <vector>

#include "acoustics/signal/fft.h"
#include "base/constants.h"

/// A player and a recorder with clocks of their own, written without the program's means: what is
/// played is a function of the player's time, passes a chain of first- and second-order sections
/// at eight times the rate, and is read at the recorder's instants.
namespace lalometer::test {

/// One section of a loudspeaker as a digital filter at the fine rate (bilinear transform, R.
/// Bristow-Johnson's formulas), Q 0.707.
struct Section {
  bool high_pass;
  double corner_hz;
};

struct Recorder {
  double rate_hz = 48000.0;  ///< nominal
  double drift_ppm = 0.0;    ///< of its clock against the player's
  double latency_s = 0.0123;
  double noise = 0.0;
  std::uint64_t seed = 1;
};

/// @param played  of the player's time, s. @param length_s  of the recording.
inline std::vector<double> recorded(const std::function<double(double)>& played, double length_s,
                                    const std::vector<Section>& speaker, const Recorder& r) {
  constexpr int kFine = 8;
  const double fine = kFine * r.rate_hz;
  const auto count = static_cast<std::size_t>(length_s * fine);
  std::vector<double> x(count);
  for (std::size_t i = 0; i < count; ++i)
    x[i] = played(static_cast<double>(i) / fine - r.latency_s);
  for (const Section& s : speaker) {
    const double w = 2.0 * kPi * s.corner_hz / fine;
    const double alpha = std::sin(w) / std::sqrt(2.0);
    const double a0 = 1.0 + alpha;
    const double c = std::cos(w);
    const double b0 = (s.high_pass ? 1.0 + c : 1.0 - c) / 2.0 / a0;
    const double b1 = (s.high_pass ? -(1.0 + c) : 1.0 - c) / a0;
    const double a1 = -2.0 * c / a0;
    const double a2 = (1.0 - alpha) / a0;
    double x1 = 0.0, x2 = 0.0, y1 = 0.0, y2 = 0.0;
    for (double& v : x) {
      const double y = b0 * v + b1 * x1 + b0 * x2 - a1 * y1 - a2 * y2;
      x2 = x1;
      x1 = v;
      y2 = y1;
      y1 = y;
      v = y;
    }
  }
  // Between fine samples by a cubic through four: at 20 kHz, a nineteenth of the fine rate, 90 dB
  // below.
  std::mt19937_64 engine(r.seed);
  std::normal_distribution<double> normal;
  std::vector<double> out;
  const double step = kFine / (1.0 + 1e-6 * r.drift_ppm);
  for (double at = 0.0; at + 3.0 < static_cast<double>(count); at += step) {
    const auto i = static_cast<std::size_t>(at);
    const double t = at - static_cast<double>(i);
    const double before = i > 0 ? x[i - 1] : 0.0;
    const double p = x[i], q = x[i + 1], after = x[i + 2];
    const double value = p + t * (-before / 3.0 - p / 2.0 + q - after / 6.0) +
                         t * t * (before / 2.0 - p + q / 2.0) +
                         t * t * t * (-before / 6.0 + p / 2.0 - q / 2.0 + after / 6.0);
    out.push_back(value + r.noise * normal(engine));
  }
  return out;
}

/// x(t) = sin(2 pi f1 L (exp(t/L) - 1)) between 0 and its duration (Farina 2000).
inline std::function<double(double)> sweep_of(double start_hz, double stop_hz, double duration_s) {
  const double l = duration_s / std::log(stop_hz / start_hz);
  return [=](double t) {
    if (t < 0.0 || t > duration_s) return 0.0;
    return std::sin(2.0 * kPi * start_hz * l * std::expm1(t / l));
  };
}

/// What was recorded, with a room's decay behind it: exponentially falling noise, -10 dB re the
/// direct sound, no nearer than 4 ms.
inline std::vector<double> in_a_room(const std::vector<double>& x, double rate, double rt_s,
                                     std::mt19937_64& engine) {
  std::normal_distribution<double> normal;
  std::vector<double> tail(static_cast<std::size_t>(rt_s * rate));
  double energy = 0.0;
  for (std::size_t i = 0; i < tail.size(); ++i) {
    const double t = static_cast<double>(i) / rate;
    tail[i] = t < 0.004 ? 0.0 : normal(engine) * std::pow(10.0, -3.0 * t / rt_s);
    energy += tail[i] * tail[i];
  }
  for (double& v : tail) v *= std::sqrt(0.1 / energy);
  tail.front() = 1.0;
  const std::size_t n = fast_length(x.size() + tail.size());
  Spectrum a = real_spectrum(x, n);
  const Spectrum b = real_spectrum(tail, n);
  for (std::size_t k = 0; k < a.size(); ++k) a[k] *= b[k];
  Samples out(n);
  RealTransform(n).inverse(a, out);
  return {out.begin(), out.begin() + static_cast<std::ptrdiff_t>(x.size())};
}

/// Four chirps of 30 ms, 2 to 12 kHz, a quarter of a second apart and 0.4 s from a sweep of this
/// duration that begins at 0; then four after it. As docs/file-formats.md tells them.
inline std::function<double(double)> chirps_around(double duration_s) {
  return [=](double t) {
    double sum = 0.0;
    for (int side = 0; side < 2; ++side) {
      for (int k = 0; k < 4; ++k) {
        const double at = side == 0 ? -0.4 - 0.03 - 0.25 * (3 - k) : duration_s + 0.4 + 0.25 * k;
        const double u = t - at;
        if (u < 0.0 || u > 0.03) continue;
        const double edge = std::min(u, 0.03 - u) / 0.006;
        const double window = edge < 1.0 ? 0.5 - 0.5 * std::cos(kPi * edge) : 1.0;
        sum += window * std::sin(2.0 * kPi * (2000.0 * u + 0.5 * 10000.0 * u * u / 0.03));
      }
    }
    return sum;
  };
}

}  // namespace lalometer::test
