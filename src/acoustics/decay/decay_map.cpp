#include "acoustics/decay/decay_map.h"

#include <algorithm>
#include <cmath>
#include <complex>

#include "acoustics/signal/fft.h"
#include "acoustics/signal/windows.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

constexpr double kFallingShare = 0.25;
constexpr double kFloor = 1e-40;  // -400 dB of power

double db_of_power(double power) {
  return 10.0 * std::log10(std::max(power, kFloor));
}

/// Samples from `before_s` before the arrival to the end of the span, its end falling; what the
/// impulse does not hold is nothing.
struct Stretch {
  std::vector<double> samples;
  double arrival_at = 0.0;  ///< in samples
  double length_s = 0.0;    ///< after the arrival, as far as there are data
};

Stretch stretch_of(const ImpulseResponse& h, const DecaySpan& span, double before_s) {
  const double rate = h.sample_rate_hz;
  const double arrival = span.arrival_s * rate + h.zero_at;
  const double first = std::floor(arrival - before_s * rate);
  const double held = static_cast<double>(h.samples.size()) - arrival;
  Stretch s;
  s.length_s = std::clamp(std::min(span.length_s, held / rate), 0.0, 1e6);
  s.arrival_at = arrival - first;
  const auto count = static_cast<std::ptrdiff_t>(s.arrival_at + s.length_s * rate);
  const double fall_from = 1.0 - kFallingShare;
  for (std::ptrdiff_t i = 0; i < count; ++i) {
    const double at = first + static_cast<double>(i);
    double x = at >= 0.0 && at < static_cast<double>(h.samples.size())
                   ? h.samples[static_cast<std::size_t>(at)]
                   : 0.0;
    const double t = (static_cast<double>(i) - s.arrival_at) / rate / std::max(s.length_s, 1e-9);
    if (t > fall_from) x *= falling_half_hann((t - fall_from) / kFallingShare);
    s.samples.push_back(x);
  }
  return s;
}

DecayMap empty_map(DecayMap::Kind kind, const FrequencyAxis& axis) {
  return {.kind = kind, .axis = axis, .time = {}, .level_db = {}, .resolved_from_hz = {}};
}

/// Where an axis' frequencies lie between the lines of a transform.
struct Places {
  std::vector<std::size_t> line;
  std::vector<double> part;
  Places(const FrequencyAxis& axis, double step_hz, std::size_t lines) {
    for (const double f : axis.hz()) {
      const double at = std::clamp(f / step_hz, 0.0, static_cast<double>(lines - 2));
      line.push_back(static_cast<std::size_t>(at));
      part.push_back(at - std::floor(at));
    }
  }
};

/// Envelopes of what bursts leave, all from one spectrum.
class Bursts {
 public:
  Bursts(std::span<const double> samples, double arrival_at, double rate, double burst_periods,
         std::size_t longest)
      : sigma_periods_(0.25 * burst_periods) {
    // Zeros behind it, or the end would come round to the beginning.
    const std::size_t n = fast_length(std::min(samples.size(), longest) * 2);
    step_hz_ = rate / static_cast<double>(n);
    bins_ = real_spectrum(samples.first(std::min(samples.size(), longest)), n);
    for (std::size_t k = 0; k < bins_.size(); ++k)
      bins_[k] *=
          std::polar(1.0, 2.0 * kPi * static_cast<double>(k) * arrival_at / static_cast<double>(n));
  }

  /// Power of the envelope at times after the arrival, evenly spaced.
  [[nodiscard]] std::vector<double> envelope(double f, double step_s, std::size_t count) const {
    const double spread_hz = f / (2.0 * kPi * sigma_periods_);
    constexpr double kReach = 4.5;
    const auto first =
        static_cast<std::size_t>(std::max(1.0, std::ceil((f - kReach * spread_hz) / step_hz_)));
    const auto last =
        std::min(static_cast<std::size_t>((f + kReach * spread_hz) / step_hz_), bins_.size() - 1);
    std::vector<Complex> now;
    std::vector<Complex> turn;
    double weights = 0.0;
    for (std::size_t k = first; k <= last; ++k) {
      const double off = (static_cast<double>(k) * step_hz_ - f) / spread_hz;
      const double w = std::exp(-0.5 * off * off);
      weights += w;
      now.push_back(w * bins_[k]);
      turn.push_back(std::polar(1.0, 2.0 * kPi * static_cast<double>(k) * step_hz_ * step_s));
    }
    std::vector<double> power(count, 0.0);
    // Where the bell is cut at 0 Hz it is still as high as a whole one.
    const double whole = std::sqrt(2.0 * kPi) * spread_hz / step_hz_;
    const double scale = 1.0 / std::max(weights, 0.5 * whole);
    for (std::size_t m = 0; m < count; ++m) {
      Complex sum = 0.0;
      for (std::size_t k = 0; k < now.size(); ++k) {
        sum += now[k];
        now[k] *= turn[k];
      }
      power[m] = std::norm(sum * scale);
    }
    return power;
  }

 private:
  double sigma_periods_;
  double step_hz_ = 1.0;
  Spectrum bins_;
};

}  // namespace

DecayMap cumulative_decay(const ImpulseResponse& impulse, const DecaySpan& span,
                          const FrequencyAxis& axis, const CumulativeWish& wish) {
  constexpr double kBefore_s = 1e-3;
  const double rate = impulse.sample_rate_hz;
  const Stretch s = stretch_of(impulse, span, kBefore_s);
  DecayMap map = empty_map(DecayMap::Kind::kCumulative, axis);
  map.rise_s = wish.rise_s;
  map.length_s = s.length_s;
  const std::size_t slices = std::max<std::size_t>(wish.slices, 2);
  const double last_s = wish.last_s > 0.0 ? std::min(wish.last_s, 0.95 * s.length_s)
                                          : (1.0 - kFallingShare) * s.length_s;
  // Four times as long as the data: between its lines a straight line is good to 0.05 dB.
  const std::size_t n = fast_length(std::max<std::size_t>(4 * s.samples.size(), 256));
  const RealTransform transform(n);
  Samples time(n);
  Spectrum bins(transform.bin_count());
  const Places places(axis, rate / static_cast<double>(n), bins.size());
  for (std::size_t k = 0; k < slices; ++k) {
    const double at_s = last_s * static_cast<double>(k) / static_cast<double>(slices - 1);
    // Full from `at` on; the first slice takes what comes before the arrival as well.
    const double full = k == 0 ? 0.0 : s.arrival_at + at_s * rate;
    const double rise = std::max(k == 0 ? 0.0 : wish.rise_s * rate, 1e-9);
    const auto begin = static_cast<std::size_t>(std::max(0.0, std::ceil(full - rise)));
    std::size_t to = 0;
    for (std::size_t i = begin; i < s.samples.size(); ++i, ++to) {
      const double before = full - static_cast<double>(i);
      time[to] = before > 0.0 ? s.samples[i] * falling_half_hann(before / rise) : s.samples[i];
    }
    std::fill(time.begin() + static_cast<std::ptrdiff_t>(to), time.end(), 0.0);
    transform.forward(time, bins);
    std::vector<double> row(axis.size());
    for (std::size_t i = 0; i < row.size(); ++i) {
      const Complex a = bins[places.line[i]];
      const Complex b = bins[places.line[i] + 1];
      const double p = places.part[i];
      const double re = a.real() + p * (b.real() - a.real());
      const double im = a.imag() + p * (b.imag() - a.imag());
      row[i] = db_of_power(re * re + im * im);
    }
    map.time.push_back(at_s);
    map.level_db.push_back(std::move(row));
    map.resolved_from_hz.push_back(1.0 / std::max(s.length_s - at_s, 1.0 / rate));
  }
  return map;
}

DecayMap burst_decay(const ImpulseResponse& impulse, const DecaySpan& span,
                     const FrequencyAxis& axis, const BurstWish& wish) {
  const double rate = impulse.sample_rate_hz;
  DecayMap map = empty_map(DecayMap::Kind::kBurst, axis);
  map.burst_periods = wish.burst_periods;
  const auto count = static_cast<std::size_t>(wish.periods / wish.step + 1e-9) + 1;
  for (std::size_t m = 0; m < count; ++m) map.time.push_back(wish.step * static_cast<double>(m));
  map.level_db.assign(count, std::vector<double>(axis.size()));
  const Stretch s = stretch_of(impulse, span, std::min(0.02, wish.burst_periods / axis.front()));
  map.length_s = s.length_s;
  // An octave at a time: the higher, the shorter the stretch that its periods fill.
  std::size_t i = 0;
  while (i < axis.size()) {
    const double lowest = axis[i];
    const double needed_s = (wish.periods + 2.0 * wish.burst_periods) / lowest;
    const Bursts bursts(s.samples, s.arrival_at, rate, wish.burst_periods,
                        static_cast<std::size_t>(s.arrival_at + needed_s * rate) + 16);
    for (; i < axis.size() && axis[i] < 2.0 * lowest; ++i) {
      const std::vector<double> power = bursts.envelope(axis[i], wish.step / axis[i], count);
      for (std::size_t m = 0; m < count; ++m) map.level_db[m][i] = db_of_power(power[m]);
    }
  }
  for (const double periods : map.time)
    map.resolved_from_hz.push_back(std::max(periods, 1.0) / std::max(s.length_s, 1e-9));
  return map;
}

DecayMap bass_decay(const ImpulseResponse& impulse, const DecaySpan& span,
                    const FrequencyAxis& axis, const BassWish& wish) {
  const double rate = impulse.sample_rate_hz;
  DecayMap map = empty_map(DecayMap::Kind::kBass, axis);
  map.burst_periods = wish.burst_periods;
  const std::size_t count = std::max<std::size_t>(wish.slices, 2);
  const Stretch s = stretch_of(impulse, span, 0.02);
  map.length_s = s.length_s;
  const double last_s = std::min(wish.last_s, s.length_s);
  const double step_s = last_s / static_cast<double>(count - 1);
  const Bursts bursts(s.samples, s.arrival_at, rate, wish.burst_periods, s.samples.size());
  map.level_db.assign(count, std::vector<double>(axis.size()));
  for (std::size_t m = 0; m < count; ++m) {
    map.time.push_back(step_s * static_cast<double>(m));
    map.resolved_from_hz.push_back(1.0 / std::max(s.length_s - map.time.back(), 1.0 / rate));
  }
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const std::vector<double> power = bursts.envelope(axis[i], step_s, count);
    for (std::size_t m = 0; m < count; ++m) map.level_db[m][i] = db_of_power(power[m]);
  }
  return map;
}

EnergyTime energy_time(const ImpulseResponse& impulse, const DecaySpan& span) {
  const double rate = impulse.sample_rate_hz;
  const Stretch s = stretch_of(impulse, span, 1e-3);
  EnergyTime out;
  if (s.samples.size() < 16) return out;
  const std::size_t n = fast_length(2 * s.samples.size());
  const RealTransform transform(n);
  const Spectrum whole = real_spectrum(s.samples, n);
  // The quarter turn of all frequencies; beside the signal it makes the analytic one.
  Spectrum turned(whole.size());
  for (std::size_t k = 1; k + 1 < whole.size(); ++k) turned[k] = Complex(0.0, -1.0) * whole[k];
  Samples quarter(n);
  transform.inverse(turned, quarter);
  for (std::size_t i = 0; i < s.samples.size(); ++i) {
    out.time_s.push_back((static_cast<double>(i) - s.arrival_at) / rate);
    out.level_db.push_back(db_of_power(s.samples[i] * s.samples[i] + quarter[i] * quarter[i]));
  }
  return out;
}

}  // namespace lalometer
