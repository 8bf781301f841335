#include "acoustics/signal/checks/uncut.h"

#include <algorithm>
#include <cmath>

#include "acoustics/signal/fft.h"
#include "acoustics/signal/windows.h"
#include "acoustics/spectrum/smoothing.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

/// Lines that are read stand at most so far apart: a straight line between them must follow a
/// resonance of 20 Hz and Q 12.
constexpr double kFinest_hz = 0.15;

/// Each line turned by its own angle, k times `step_rad`; by products, anchored anew now and then.
void turn(Spectrum& bins, double step_rad) {
  constexpr std::size_t kAnchor = 512;
  const Complex step = std::polar(1.0, step_rad);
  Complex at = 1.0;
  for (std::size_t k = 0; k < bins.size(); ++k) {
    if (k % kAnchor == 0) at = std::polar(1.0, step_rad * static_cast<double>(k));
    bins[k] *= at;
    at *= step;
  }
}

/// How the lowest half octave goes: ln H = const + exponent * ln f, by least squares.
Complex exponent_of(const Spectrum& bins, std::size_t first) {
  const std::size_t last = std::min(std::max(first + 4, first + first / 2), bins.size() - 1);
  double sx = 0.0, sxx = 0.0, count = 0.0, before = std::arg(bins[first]);
  Complex sy = 0.0, sxy = 0.0;
  double turns = 0.0;
  for (std::size_t k = first; k <= last; ++k) {
    const double magnitude = std::abs(bins[k]);
    if (!(magnitude > 0.0)) return 0.0;
    const double phase = std::arg(bins[k]);
    turns -= std::round((phase - before) / (2.0 * kPi));
    before = phase;
    const double x = std::log(static_cast<double>(k) / static_cast<double>(first));
    const Complex y(std::log(magnitude), phase + 2.0 * kPi * turns);
    sx += x;
    sxx += x * x;
    sy += y;
    sxy += x * y;
    count += 1.0;
  }
  const double bend = count * sxx - sx * sx;
  if (!(bend > 0.0)) return 0.0;
  const Complex slope = (count * sxy - sx * sy) / bend;
  // No loudspeaker rises towards 0 Hz, and none falls by more than 48 dB per octave.
  return {std::clamp(slope.real(), 0.0, 8.0), std::clamp(slope.imag(), -8.0, 8.0)};
}

void continue_outwards(Spectrum& bins, std::size_t first, std::size_t last) {
  const Complex exponent = exponent_of(bins, first);
  const auto continued = [&](double k) {
    return bins[first] * std::exp(exponent * std::log(k / static_cast<double>(first)));
  };
  for (std::size_t k = 1; k < first; ++k) bins[k] = continued(static_cast<double>(k));
  // A power has no value at nothing: that of half a line, which goes with the rest of them.
  bins[0] = continued(0.5).real();
  const auto end = static_cast<double>(last) * std::exp2(1.0 / 3.0);
  for (std::size_t k = last + 1; k < bins.size(); ++k) {
    const double at = static_cast<double>(k - last) / (end - static_cast<double>(last));
    bins[k] = bins[last] * falling_half_hann(at);
  }
  bins.back() = bins.back().real();
}

}  // namespace

UncutSpectrum uncut_spectrum(const ImpulseResponse& response, double arrival_s,
                             double harmonics_s) {
  const double rate = response.sample_rate_hz;
  // The record is a ring: at its own length nothing is lost at the seam.
  const std::size_t n = response.samples.size() % 2 == 0
                            ? response.samples.size()
                            : fast_length(response.samples.size() + 1) / 2 * 2;
  const double shift = arrival_s * rate + response.zero_at;
  const auto whole = static_cast<std::ptrdiff_t>(std::floor(shift));
  const auto size = static_cast<std::ptrdiff_t>(n);
  Samples time(n, 0.0);
  for (std::size_t i = 0; i < response.samples.size(); ++i) {
    const std::ptrdiff_t at = static_cast<std::ptrdiff_t>(i) - whole;
    time[static_cast<std::size_t>(((at % size) + size) % size)] += response.samples[i];
  }
  const RealTransform transform(n);
  Spectrum bins(transform.bin_count());
  transform.forward(time, bins);
  UncutSpectrum out{rate / static_cast<double>(n), {}, arrival_s, response.excited};
  const double rest = shift - static_cast<double>(whole);
  turn(bins, 2.0 * kPi * rest / static_cast<double>(n));
  const auto top = static_cast<double>(bins.size() - 2);
  const auto first = static_cast<std::size_t>(
      std::clamp(std::ceil(response.excited.low_hz / out.step_hz), 1.0, top));
  const auto last = static_cast<std::size_t>(
      std::clamp(std::floor(response.excited.high_hz / out.step_hz), 1.0, top));
  if (response.excited.low_hz > 0.0 && first + 8 < last) continue_outwards(bins, first, last);
  transform.inverse(bins, time);
  if (harmonics_s > 0.0) {
    // Whole from half the second harmonic's lead on, nothing from three quarters of it.
    const double from = 0.75 * harmonics_s * rate;
    const double full = 0.5 * harmonics_s * rate;
    for (std::size_t i = n / 2; i < n; ++i) {
      const double ahead = static_cast<double>(n - i);
      if (ahead > full) time[i] *= falling_half_hann((ahead - full) / (from - full));
    }
  }
  // Read on a finer grid than the record's own: between its lines a straight line would cut a
  // resonance's top off.
  const auto times =
      static_cast<std::size_t>(std::clamp(std::ceil(out.step_hz / kFinest_hz), 1.0, 64.0));
  const RealTransform finer(times * n);
  Samples laid(times * n, 0.0);
  const std::size_t ahead = n / 4;
  std::copy(time.begin(), time.end() - static_cast<std::ptrdiff_t>(ahead), laid.begin());
  std::copy(time.end() - static_cast<std::ptrdiff_t>(ahead), time.end(),
            laid.end() - static_cast<std::ptrdiff_t>(ahead));
  bins.resize(finer.bin_count());
  finer.forward(laid, bins);
  out.step_hz /= static_cast<double>(times);
  out.bins.assign(bins.begin(), bins.end());
  return out;
}

Response response_on(const UncutSpectrum& spectrum, double zero_s, const FrequencyAxis& axis,
                     int bands_per_octave, Quantity quantity) {
  const auto most = static_cast<double>(spectrum.bins.size() - 1);
  const auto first = static_cast<std::size_t>(
      std::clamp(std::floor(spectrum.excited.low_hz / spectrum.step_hz), 1.0, most - 2.0));
  const auto last =
      static_cast<std::size_t>(std::clamp(std::ceil(spectrum.excited.high_hz / spectrum.step_hz),
                                          static_cast<double>(first) + 2.0, most));
  const double nyquist = spectrum.step_hz * most;
  const ValidRange valid = intersect(spectrum.excited, {0.0, nyquist});
  const auto turned = [&](Complex value, double f) {
    return value * std::polar(1.0, 2.0 * kPi * f * (zero_s - spectrum.arrival_s));
  };
  if (bands_per_octave == 0) {
    // Only the two lines beside each frequency are needed.
    std::vector<Complex> values;
    for (const double f : axis.hz()) {
      const double at =
          std::clamp(f / spectrum.step_hz, static_cast<double>(first), static_cast<double>(last));
      const auto k = std::min(static_cast<std::size_t>(at), last - 1);
      const double t = at - static_cast<double>(k);
      values.push_back(turned((1.0 - t) * spectrum.bins[k] + t * spectrum.bins[k + 1], f));
    }
    return *Response::make(axis, std::move(values), quantity, valid, true);
  }
  std::vector<double> hz;
  for (std::size_t k = first; k <= last; ++k)
    hz.push_back(static_cast<double>(k) * spectrum.step_hz);
  const auto from = spectrum.bins.begin() + static_cast<std::ptrdiff_t>(first);
  const Response fine =
      *Response::make(*FrequencyAxis::make(std::move(hz)),
                      {from, from + static_cast<std::ptrdiff_t>(last - first + 1)}, quantity,
                      spectrum.excited, true);
  Response read = smoothed_onto(fine, axis, bands_per_octave);
  std::vector<Complex> values = read.values();
  for (std::size_t i = 0; i < values.size(); ++i) values[i] = turned(values[i], axis[i]);
  return *Response::make(axis, std::move(values), quantity, valid, true);
}

}  // namespace lalometer
