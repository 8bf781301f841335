#include "acoustics/level/steady_tones.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "acoustics/level/harmonic_values.h"
#include "acoustics/signal/fft.h"
#include "acoustics/signal/windows.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

constexpr double kSettle_s = 0.2;
constexpr double kSettlePeriods = 8.0;
constexpr double kRead_s = 0.15;
constexpr double kReadPeriods = 12.0;  // the window's main lobe is four lines to each side
constexpr double kHang_s = 0.03;
constexpr double kFade_s = 0.01;
constexpr double kHighest = 0.45;  // of the rate
/// Noise bandwidth of the four-term Blackman-Harris window, lines (Harris 1978, table I).
constexpr double kNoiseLines = 2.0044;

std::vector<double> blackman_harris_periodic(std::size_t n) {
  std::vector<double> w = blackman_harris(n + 1);
  w.pop_back();
  return w;
}

/// Complex amplitude at a frequency: for A sin(phi + a) it is A exp(j (a + phase at the window's
/// first sample)).
Complex amplitude_at(std::span<const double> x, const std::vector<double>& window, double cycles) {
  // A turning pointer, set right every so often.
  const Complex step = std::polar(1.0, -2.0 * kPi * cycles);
  Complex sum = 0.0;
  double weight = 0.0;
  Complex pointer = 1.0;
  for (std::size_t i = 0; i < x.size(); ++i) {
    if (i % 512 == 0)
      pointer = std::polar(1.0, -2.0 * kPi * std::fmod(cycles * static_cast<double>(i), 1.0));
    const double v = window[i] * x[i];
    sum += Complex(v * pointer.real(), v * pointer.imag());
    weight += window[i];
    pointer = Complex(pointer.real() * step.real() - pointer.imag() * step.imag(),
                      pointer.real() * step.imag() + pointer.imag() * step.real());
  }
  return 2.0 * sum / weight * Complex(0.0, 1.0);
}

/// What one tone's stretch holds.
struct Stretch {
  std::vector<double> measured;
  std::vector<double> loopback;
  double cycles = 0.0;  ///< of the tone per sample
};

/// Power of the noise at one order, by what stands beside it.
double noise_beside(const Stretch& s, const std::vector<double>& window, int order) {
  const double line = 1.0 / static_cast<double>(s.measured.size());
  double sum = 0.0;
  int count = 0;
  for (const double off : {-7.5, -6.25, -5.0, 5.0, 6.25, 7.5}) {
    const double at = order * s.cycles + off * line;
    if (at <= 0.5 * line || at >= 0.5) continue;
    sum += std::norm(amplitude_at(s.measured, window, at));
    ++count;
  }
  return count > 0 ? sum / count : 0.0;
}

double correction_at(const std::vector<Response>& corrections, double f, double& phase) {
  double gain = 1.0;
  for (const Response& c : corrections) {
    const Complex v = value_at(c, std::clamp(f, c.axis().front(), c.axis().back()));
    gain *= std::abs(v);
    phase += std::arg(v);
  }
  return std::max(gain, 1e-12);
}

double half_drift_db(const Stretch& s) {
  const std::size_t half = s.measured.size() / 2;
  const std::vector<double> window = blackman_harris_periodic(half);
  const std::span all(s.measured);
  const double first = std::abs(amplitude_at(all.first(half), window, s.cycles));
  const double second = std::abs(amplitude_at(all.subspan(half, half), window, s.cycles));
  return 20.0 * std::log10(std::max(second, 1e-30) / std::max(first, 1e-30));
}

}  // namespace

std::vector<double> SteadyTones::tones_hz() const {
  std::vector<double> all;
  for (const SteadyTone& t : tones) all.push_back(t.frequency_hz);
  return all;
}

Result<SteadyTones> steady_tones(const SteadyTonesWish& w) {
  if (!(w.low_hz > 0.0 && w.high_hz > w.low_hz))
    return bad_input("Tones rise from a lowest to a higher frequency.");
  if (!(w.tones_per_octave >= 1.0 && w.tones_per_octave <= 24.0))
    return bad_input("Between 1 and 24 tones to an octave can be played one after the other.");
  std::vector<double> hz;
  const double octaves = std::log2(w.high_hz / w.low_hz);
  for (int i = 0; i <= std::floor(octaves * w.tones_per_octave + 1e-9); ++i)
    hz.push_back(w.low_hz * std::exp2(i / w.tones_per_octave));
  return steady_schedule(std::move(hz), w.sample_rate_hz);
}

Result<SteadyTones> steady_schedule(std::vector<double> hz, double rate) {
  std::sort(hz.begin(), hz.end());
  if (hz.size() < 2 || !(hz.front() >= 1.0)) return bad_input("At least two tones are needed.");
  if (hz.back() > kHighest * rate)
    return bad_input(fmt::format("A tone of {} Hz is beyond what {} Hz samples hold.",
                                 shortest(hz.back()), shortest(rate)));
  SteadyTones all{.sample_rate_hz = rate, .tones = {}};
  std::size_t at = 0;
  const auto samples = [&](double s) { return static_cast<std::size_t>(std::ceil(s * rate)); };
  for (const double f : hz) {
    SteadyTone t{.frequency_hz = f, .from = at};
    t.read_from = at + samples(std::max(kSettle_s, kSettlePeriods / f));
    // Even, for its halves.
    t.count = samples(std::max(kRead_s, kReadPeriods / f)) / 2 * 2;
    t.to = t.read_from + t.count + samples(kHang_s);
    at = t.to;
    all.tones.push_back(t);
  }
  return all;
}

std::vector<double> steady_signal(const SteadyTones& tones) {
  std::vector<double> out(tones.length(), 0.0);
  const double rate = tones.sample_rate_hz;
  for (const SteadyTone& t : tones.tones) {
    const double fade = std::max(kFade_s, 1.0 / t.frequency_hz) * rate;
    const double length = static_cast<double>(t.to - t.from);
    for (std::size_t i = 0; t.from + i < t.to; ++i) {
      const double k = static_cast<double>(i);
      const double rise = falling_half_hann(1.0 - std::min(k, length - k) / fade);
      out[t.from + i] = rise * std::sin(2.0 * kPi * std::fmod(t.frequency_hz * k / rate, 1.0));
    }
  }
  return out;
}

Result<SteadyReading> read_steady_tones(const SteadyRecording& r, const SteadyTones& tones,
                                        const std::vector<Response>& corrections, double unit,
                                        const HarmonicsWish& wish) {
  const double rate = r.sample_rate_hz;
  auto axis = FrequencyAxis::make(tones.tones_hz());
  if (!axis) return tl::unexpected(axis.error());
  const std::size_t count = axis->size();
  SteadyReading reading{.harmonics = {.axis = *axis, .orders = {}, .thd = {}}, .drift_db = {}};
  for (int n = 1; n <= kHighestOrder; ++n)
    reading.harmonics.orders.push_back({.order = n,
                                        .value = std::vector<Complex>(count),
                                        .floor = std::vector<double>(count, 1e-300),
                                        .spread = std::vector<double>(count, 1.0),
                                        .at_most = std::vector<double>(count, 0.0),
                                        .valid = {0.999 * axis->front(), kHighest * rate / n}});
  for (std::size_t i = 0; i < count; ++i) {
    const SteadyTone& t = tones.tones[i];
    // The player's samples, on the recorder's clock.
    const double stretched = rate / tones.sample_rate_hz * r.recorder_rate;
    const double from = r.starts_at + static_cast<double>(t.read_from) * stretched;
    const auto first = static_cast<std::ptrdiff_t>(std::llround(from));
    const auto length = static_cast<std::size_t>(static_cast<double>(t.count) * stretched) / 2 * 2;
    if (first < 0 || first + static_cast<std::ptrdiff_t>(length) >
                         static_cast<std::ptrdiff_t>(r.measured.size()))
      return bad_input(fmt::format("The recording ends before the tone of {} Hz.",
                                   three_digits(t.frequency_hz)));
    const auto at = static_cast<std::size_t>(first);
    Stretch s;
    s.cycles = t.frequency_hz / (rate * r.recorder_rate);
    s.measured.assign(r.measured.begin() + first,
                      r.measured.begin() + first + static_cast<std::ptrdiff_t>(length));
    const std::vector<double> window = blackman_harris_periodic(length);
    // Where the tone stands at the window's first sample: by the loopback, or by the schedule.
    double scale = unit;
    double turned = 2.0 * kPi *
                    std::fmod(s.cycles * (static_cast<double>(first) - r.starts_at -
                                          static_cast<double>(t.from) * stretched),
                              1.0);
    if (!r.loopback.empty()) {
      if (at + length > r.loopback.size())
        return bad_input("The loopback ends before the microphone's recording.");
      const Complex played = amplitude_at(r.loopback.subspan(at, length), window, s.cycles);
      if (!(std::abs(played) > 0.0)) return bad_input("The loopback is silent.");
      scale = unit / std::abs(played);
      turned = std::arg(played) - 2.0 * kPi * std::fmod(t.frequency_hz * r.flight_s, 1.0);
    }
    double least = 0.0;
    for (int n = 1; n <= kHighestOrder && n * t.frequency_hz <= kHighest * rate; ++n) {
      double phase = 0.0;
      const double gain = scale / correction_at(corrections, n * t.frequency_hz, phase);
      const Complex value = amplitude_at(s.measured, window, n * s.cycles);
      const double noise = noise_beside(s, window, n) * gain * gain;
      set_value(reading.harmonics.orders[static_cast<std::size_t>(n - 1)], i,
                std::norm(value) * gain * gain, std::arg(value) - n * turned - phase,
                {noise, noise * kNoiseLines, 1.0}, least);
      if (n == 1) least = wish.least_beside(std::abs(reading.harmonics.orders.front().value[i]));
    }
    reading.drift_db.push_back(half_drift_db(s));
  }
  add_thd(reading.harmonics);
  return reading;
}

std::optional<double> broken_tone_hz(std::span<const double> channel, double rate,
                                     const SteadyTones& tones, double starts_at) {
  constexpr double kJump_rad = 0.02;
  for (const SteadyTone& t : tones.tones) {
    const auto at = static_cast<std::size_t>(starts_at) + t.read_from;
    const std::size_t half = t.count / 2;
    if (at + t.count > channel.size()) return t.frequency_hz;
    const std::vector<double> window = blackman_harris_periodic(half);
    const double cycles = t.frequency_hz / rate;
    const Complex first = amplitude_at(channel.subspan(at, half), window, cycles);
    const Complex second = amplitude_at(channel.subspan(at + half, half), window, cycles);
    const double expected = 2.0 * kPi * std::fmod(cycles * static_cast<double>(half), 1.0);
    if (std::abs(std::remainder(std::arg(second / first) - expected, 2.0 * kPi)) > kJump_rad)
      return t.frequency_hz;
  }
  return std::nullopt;
}

SteadyStart find_steady_tones(std::span<const double> signal, double rate,
                              const SteadyTones& tones) {
  SteadyStart start;
  // What was played, on the recorder's nominal clock.
  SteadyTones here = tones;
  if (rate != tones.sample_rate_hz) {
    const double stretched = rate / tones.sample_rate_hz;
    here.sample_rate_hz = rate;
    for (SteadyTone& t : here.tones)
      for (std::size_t* each : {&t.from, &t.read_from, &t.count, &t.to})
        *each = static_cast<std::size_t>(std::llround(static_cast<double>(*each) * stretched));
  }
  const std::vector<double> played = steady_signal(here);
  if (played.empty() || signal.size() < played.size() / 2) return start;
  std::size_t n = fast_length(signal.size() + played.size());
  while (n % 2 != 0) n = fast_length(n + 1);
  const RealTransform transform(n);
  Spectrum a = real_spectrum(signal, n);
  const Spectrum b = real_spectrum(played, n);
  for (std::size_t k = 0; k < a.size(); ++k) a[k] *= std::conj(b[k]);
  Samples like(n);
  transform.inverse(a, like);
  // Tones are alike after each period: the envelope decides, in steps of a hundredth of a second.
  const auto block = static_cast<std::size_t>(0.01 * rate);
  const std::size_t last = signal.size();
  double best = 0.0;
  std::size_t best_block = 0;
  for (std::size_t from = 0; from + block <= last; from += block) {
    double most = 0.0;
    for (std::size_t i = from; i < from + block; ++i) most = std::max(most, std::abs(like[i]));
    if (most > best) {
      best = most;
      best_block = from;
    }
  }
  std::size_t top = best_block;
  for (std::size_t i = best_block; i < std::min(best_block + block, last); ++i)
    if (std::abs(like[i]) > std::abs(like[top])) top = i;
  start.at = static_cast<double>(top);
  const double energy =
      std::sqrt(std::inner_product(signal.begin(), signal.end(), signal.begin(), 0.0) *
                std::inner_product(played.begin(), played.end(), played.begin(), 0.0));
  start.likeness = energy > 0.0 ? best / energy : 0.0;
  // The clock: how each tone turns between the halves of what is read of it.
  std::vector<double> offs;
  for (const SteadyTone& t : here.tones) {
    const std::size_t at = top + t.read_from;
    const std::size_t half = t.count / 2;
    if (t.frequency_hz < 0.1 * here.tones.back().frequency_hz || at + t.count > signal.size())
      continue;
    const std::vector<double> window = blackman_harris_periodic(half);
    const double cycles = t.frequency_hz / rate;
    const Complex first = amplitude_at(signal.subspan(at, half), window, cycles);
    const Complex second = amplitude_at(signal.subspan(at + half, half), window, cycles);
    const double expected = 2.0 * kPi * std::fmod(cycles * static_cast<double>(half), 1.0);
    const double turn = std::remainder(std::arg(second / first) - expected, 2.0 * kPi);
    offs.push_back(turn / (2.0 * kPi * cycles * static_cast<double>(half)));
  }
  if (!offs.empty()) {
    const auto middle = offs.begin() + static_cast<std::ptrdiff_t>(offs.size() / 2);
    std::nth_element(offs.begin(), middle, offs.end());
    start.recorder_rate = 1.0 / (1.0 + *middle);
  }
  return start;
}

}  // namespace lalometer
