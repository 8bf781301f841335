#pragma once

#include <cmath>
#include <functional>
#include <span>
#include <vector>

#include "acoustics/level/harmonics.h"
#include "acoustics/signal/checks/noise_floor.h"
#include "acoustics/signal/deconvolve.h"
#include "support/support.h"

/// Sweeps through things whose harmonics are known.
namespace lalometer::test::swept {

inline const SweepSpec& usual_spec() {
  static const SweepSpec spec = *SweepSpec::make(
      {.start_hz = 10, .stop_hz = 22000, .duration_s = 2.73, .sample_rate_hz = 48000});
  return spec;
}

struct Wish {
  double amplitude = 1.0;
  double noise = 0.0;  ///< rms
  std::uint64_t seed = 1;
};

/// Silence, the sweep through `thing`, silence; deconvolved by the sweep of amplitude 1.
/// @param thing  of a signal at eight times the rate, so that products do not fold back.
inline ImpulseResponse response_of(
    const std::function<std::vector<double>(std::vector<double>)>& thing, const Wish& wish = {}) {
  constexpr std::size_t kUp = 8;
  const SweepSpec& spec = usual_spec();
  const SweepSpec fine = *SweepSpec::make(
      {spec.start_hz(), spec.stop_hz(), spec.duration_s(), kUp * spec.sample_rate_hz()});
  std::vector<double> played = exponential_sweep(fine);
  played.resize(played.size() + kUp * 48000, 0.0);
  for (double& x : played) x *= wish.amplitude;
  const std::vector<double> through = thing(std::move(played));
  // Every eighth sample after a windowed sinc at 0.47 of the rate.
  constexpr int kHalf = 256;
  std::vector<double> taps;
  for (int m = -kHalf; m <= kHalf; ++m) {
    const double x = 0.94 * m / static_cast<double>(kUp);
    const double sinc = m == 0 ? 1.0 : std::sin(kPi * x) / (kPi * x);
    const double u = m / (kHalf + 1.0);
    taps.push_back(0.94 / kUp * sinc *
                   (0.42 + 0.5 * std::cos(kPi * u) + 0.08 * std::cos(2.0 * kPi * u)));
  }
  constexpr std::size_t kLead = 24000;
  const std::size_t count = through.size() / kUp;
  std::vector<double> heard(kLead + count, 0.0);
  Normals normal(wish.seed);
  for (std::size_t i = 0; i < count; ++i) {
    double sum = 0.0;
    for (int m = -kHalf; m <= kHalf; ++m) {
      const auto at = static_cast<std::ptrdiff_t>(i * kUp) + m;
      if (at >= 0 && at < static_cast<std::ptrdiff_t>(through.size()))
        sum += taps[static_cast<std::size_t>(m + kHalf)] * through[static_cast<std::size_t>(at)];
    }
    heard[kLead + i] = sum;
  }
  for (double& x : heard) x += wish.noise * normal();
  std::vector<double> reference(kLead, 0.0);
  const std::vector<double> sweep = exponential_sweep(spec);
  reference.insert(reference.end(), sweep.begin(), sweep.end());
  reference.resize(heard.size(), 0.0);
  ImpulseResponse h =
      deconvolve(heard, reference, 48000, {10, 22000}, spec.rate_s() * std::log(11.0) + 0.05);
  for (double& x : h.samples) x /= wish.amplitude;
  return h;
}

/// What white noise of that rms becomes in it, per root of a second.
inline Response noise_of(const Wish& wish) {
  if (wish.noise > 0.0) {
    const ImpulseResponse h =
        response_of([](std::vector<double> x) { return std::vector<double>(x.size(), 0.0); }, wish);
    return *noise_within(h, 0.2, 2.2, Quantity::kRatio);
  }
  const auto axis = FrequencyAxis::logarithmic(20, 20000, 3);
  return *Response::make(axis, std::vector<std::complex<double>>(axis.size(), 1e-9),
                         Quantity::kRatio, {20, 20000}, false);
}

inline double db(double x) {
  return 20.0 * std::log10(x);
}

inline std::size_t nearest(const FrequencyAxis& axis, double f) {
  const std::size_t i = axis.bracket(f);
  return f - axis[i] < axis[i + 1] - f ? i : i + 1;
}

}  // namespace lalometer::test::swept
