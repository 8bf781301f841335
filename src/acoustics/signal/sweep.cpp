#include "acoustics/signal/sweep.h"

#include <algorithm>
#include <cmath>

#include "acoustics/signal/windows.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {

Result<SweepSpec> SweepSpec::make(const Values& v) {
  const bool finite = std::isfinite(v.start_hz) && std::isfinite(v.stop_hz) &&
                      std::isfinite(v.duration_s) && std::isfinite(v.sample_rate_hz);
  if (!finite || v.sample_rate_hz <= 0.0)
    return bad_input("A sweep needs finite figures and a sample rate.");
  if (v.start_hz <= 0.0 || v.start_hz >= v.stop_hz) {
    return bad_input(fmt::format("A sweep runs upward from above 0 Hz, not from {} Hz to {} Hz.",
                                 shortest(v.start_hz), shortest(v.stop_hz)));
  }
  if (v.stop_hz > 0.5 * v.sample_rate_hz) {
    return bad_input(
        fmt::format("A sweep to {} Hz needs a sample rate of at least {} Hz, not {} Hz.",
                    shortest(v.stop_hz), shortest(2.0 * v.stop_hz), shortest(v.sample_rate_hz)));
  }
  if (v.duration_s * v.sample_rate_hz < 16.0 || v.duration_s * v.sample_rate_hz > 1e8) {
    return bad_input(fmt::format("A sweep of {} s at {} Hz has an impossible length.",
                                 shortest(v.duration_s), shortest(v.sample_rate_hz)));
  }
  return SweepSpec(v);
}

Result<SweepSpec> SweepSpec::make_synchronised(const Values& values) {
  return make(values).and_then([](const SweepSpec& spec) {
    Values v = spec.values_;
    const double turns = std::ceil(v.start_hz * spec.rate_s() - 1e-9);
    v.duration_s = std::max(turns, 1.0) / v.start_hz * std::log(v.stop_hz / v.start_hz);
    return make(v);
  });
}

double SweepSpec::rate_s() const {
  return values_.duration_s / std::log(values_.stop_hz / values_.start_hz);
}

std::size_t SweepSpec::sample_count() const {
  return static_cast<std::size_t>(std::llround(values_.duration_s * values_.sample_rate_hz));
}

std::vector<double> exponential_sweep(const SweepSpec& spec) {
  return exponential_sweep(spec, 0.0);
}

std::vector<double> exponential_sweep(const SweepSpec& spec, double offset_samples) {
  const double rate = spec.rate_s();
  const double k = 2.0 * kPi * spec.start_hz() * rate;
  std::vector<double> x(spec.sample_count() + (offset_samples > 0.0 ? 1 : 0));
  for (std::size_t n = 0; n < x.size(); ++n) {
    const double at = static_cast<double>(n) - offset_samples;
    if (at < 0.0) continue;  // not begun yet
    // The end counts as far as it reaches into the last sample: a whole one more or less would be
    // 0.08 dB at 16 kHz.
    const double share = std::min(1.0, static_cast<double>(spec.sample_count()) - at);
    x[n] = share * std::sin(k * std::expm1(at / spec.sample_rate_hz() / rate));
  }
  return x;
}

void apply_fades(std::vector<double>& signal, std::size_t fade_in_count,
                 std::size_t fade_out_count) {
  const std::size_t in = std::min(fade_in_count, signal.size() / 2);
  const std::size_t out = std::min(fade_out_count, signal.size() / 2);
  for (std::size_t i = 0; i < in; ++i) {
    signal[i] *= falling_half_hann(1.0 - static_cast<double>(i) / static_cast<double>(in));
  }
  for (std::size_t i = 0; i < out; ++i) {
    signal[signal.size() - 1 - i] *=
        falling_half_hann(1.0 - static_cast<double>(i) / static_cast<double>(out));
  }
}

std::vector<double> faded_sweep(const SweepSpec& spec) {
  std::vector<double> x = exponential_sweep(spec);
  const double half_octave_s = 0.5 * std::log(2.0) * spec.rate_s();
  const double fade_in_s = std::min(half_octave_s, 0.1 * spec.duration_s());
  const double fade_out_s = std::min(0.002, 0.1 * spec.duration_s());
  apply_fades(x, static_cast<std::size_t>(fade_in_s * spec.sample_rate_hz()),
              static_cast<std::size_t>(fade_out_s * spec.sample_rate_hz()));
  return x;
}

double sweep_frequency_hz(const SweepSpec& spec, double time_s) {
  return spec.start_hz() * std::exp(time_s / spec.rate_s());
}

double sweep_time_s(const SweepSpec& spec, double frequency_hz) {
  return spec.rate_s() * std::log(frequency_hz / spec.start_hz());
}

double harmonic_lead_s(const SweepSpec& spec, int harmonic) {
  return spec.rate_s() * std::log(static_cast<double>(harmonic));
}

std::vector<double> inverse_sweep(const SweepSpec& spec) {
  std::vector<double> x = exponential_sweep(spec);
  std::reverse(x.begin(), x.end());
  // The energy of the sweep at f is L/(4 f) per Hz^2 (stationary phase: |X|^2 = L / (4 f)), so that
  // the product |X|^2 * gain is 1 with gain = 4 f / L, f the frequency at the reversed time; the
  // factor 1/rate turns the integral of the convolution into a sum.
  const double rate_hz = spec.sample_rate_hz();
  for (std::size_t n = 0; n < x.size(); ++n) {
    const double t = static_cast<double>(x.size() - 1 - n) / rate_hz;
    x[n] *= 4.0 * sweep_frequency_hz(spec, t) / spec.rate_s() / (rate_hz * rate_hz);
  }
  return x;
}

}  // namespace lalometer
