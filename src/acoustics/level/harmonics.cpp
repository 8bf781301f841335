#include "acoustics/level/harmonics.h"

#include <algorithm>
#include <cmath>

#include "acoustics/level/harmonic_values.h"
#include "acoustics/signal/fft.h"
#include "acoustics/signal/windows.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

constexpr double kLongest_s = 0.3;
constexpr double kBefore = 0.25;  // of the way to the next higher order
constexpr double kAfter = 0.75;   // of the way to the next lower one
constexpr double kFlat = 0.5;
constexpr double kBellPeriods = 30.0;
constexpr double kShortestBell_s = 3e-3;

/// The sweep's first frequency ends a response sharply, which rings for seconds to both sides and
/// would stand in the windows of all orders. So it rises smoothly instead, and what is read is
/// divided by that rise.
class SoftEdge {
 public:
  explicit SoftEdge(double start_hz) : start_hz_(start_hz) {}
  [[nodiscard]] double at(double f) const {
    constexpr double kOctaves = 1.5;
    if (f <= start_hz_) return 0.0;
    return falling_half_hann(1.0 - std::log2(f / start_hz_) / kOctaves);
  }

 private:
  double start_hz_;
};

/// All that is read, from before the highest order on, its lower edge soft.
ImpulseResponse softened(const ImpulseResponse& h, double from_s, double to_s,
                         const SoftEdge& edge) {
  const double rate = h.sample_rate_hz;
  const auto size = static_cast<double>(h.samples.size());
  const double first = std::clamp(std::floor(from_s * rate + h.zero_at), 0.0, size);
  const double last = std::clamp(std::ceil(to_s * rate + h.zero_at), first, size);
  ImpulseResponse out{
      .samples = {}, .sample_rate_hz = rate, .zero_at = h.zero_at - first, .excited = h.excited};
  const auto count = static_cast<std::size_t>(last - first);
  const std::size_t n = fast_length(std::max<std::size_t>(count, 64));
  const RealTransform transform(n);
  Samples time(n, 0.0);
  std::copy_n(h.samples.begin() + static_cast<std::ptrdiff_t>(first), count, time.begin());
  Spectrum bins(transform.bin_count());
  transform.forward(time, bins);
  const double step_hz = rate / static_cast<double>(n);
  for (std::size_t k = 0; k < bins.size(); ++k) {
    const double gain = edge.at(static_cast<double>(k) * step_hz);
    if (gain >= 1.0) break;
    bins[k] *= gain;
  }
  transform.inverse(bins, time);
  out.samples.assign(time.begin(), time.begin() + static_cast<std::ptrdiff_t>(count));
  return out;
}

/// The stretch of one order, windowed, and where its pulse stands in it.
struct Cut {
  std::vector<double> samples;
  double pulse_at = 0.0;  ///< in samples, may lie between two
  double energy_s = 0.0;  ///< integral of the window's square
  double period_s = 0.0;  ///< the longest that may be told
};

Cut cut_out(const ImpulseResponse& h, double pulse_s, double before_s, double after_s) {
  const double rate = h.sample_rate_hz;
  const double at = pulse_s * rate + h.zero_at;
  const auto size = static_cast<double>(h.samples.size());
  const double first = std::clamp(std::ceil(at - before_s * rate), 0.0, size);
  const double last = std::clamp(std::floor(at + after_s * rate), 0.0, size);
  Cut cut;
  cut.pulse_at = at - first;
  cut.period_s = (last - at) / rate;
  if (!(last > first)) return cut;
  const auto begin = static_cast<std::size_t>(first);
  const auto count = static_cast<std::size_t>(last - first);
  cut.samples.resize(count);
  const double flat = after_s * kFlat / kAfter;
  for (std::size_t i = 0; i < count; ++i) {
    const double t = (static_cast<double>(i) - cut.pulse_at) / rate;
    // Rises over the first 60 % of what is kept before the pulse.
    const double w = t < 0.0 ? falling_half_hann((-t / before_s - 0.4) / 0.6)
                             : falling_half_hann((t - flat) / (after_s - flat));
    cut.samples[i] = w * h.samples[begin + i];
    cut.energy_s += w * w / rate;
  }
  return cut;
}

/// Spectrum of a stretch with its pulse at t = 0, read through bells of any width.
class BellReader {
 public:
  BellReader(const Cut& cut, double rate, std::size_t padding)
      : length_(fast_length(std::max<std::size_t>(cut.samples.size(), 64) * padding)),
        step_hz_(rate / static_cast<double>(length_)),
        bins_(real_spectrum(cut.samples, length_)) {
    // The turn by one bin is a constant: no sine for each.
    const double turn = 2.0 * kPi * cut.pulse_at / static_cast<double>(length_);
    const Complex step = std::polar(1.0, turn);
    Complex phase = 1.0;
    for (std::size_t k = 0; k < bins_.size(); ++k) {
      if (k % 256 == 0) phase = std::polar(1.0, turn * static_cast<double>(k));
      bins_[k] *= phase;
      phase *= step;
    }
  }

  /// Through the window 2 g - g^2 of a bell g with the standard deviation `bell_s`: flat to the
  /// fourth order at the pulse. In frequency 2 N(s) - N(sqrt 2 s), s = 1 / (2 pi bell).
  [[nodiscard]] Complex at(double f, double bell_s) const {
    const double s = std::max(1.0 / (2.0 * kPi * bell_s) / step_hz_, kNarrowest);
    const double centre = f / step_hz_;
    const auto first = static_cast<std::size_t>(std::max(0.0, std::ceil(centre - kReach * s)));
    const auto last =
        std::min(static_cast<std::size_t>(std::max(0.0, centre + kReach * s)), bins_.size() - 1);
    const double* table = kernel();
    const double per_bin = kTable / kReach / s;
    double re = 0.0;
    double im = 0.0;
    double weights = 0.0;
    for (std::size_t k = first; k <= last; ++k) {
      const double w = table[static_cast<std::size_t>(
          std::abs(static_cast<double>(k) - centre) * per_bin + 0.5)];
      re += w * bins_[k].real();
      im += w * bins_[k].imag();
      weights += w;
    }
    const Complex sum(re, im);
    return weights > 0.0 ? sum / weights : 0.0;
  }
  /// The widest bell that the bins can make, s.
  [[nodiscard]] double widest_s() const { return 1.0 / (2.0 * kPi * kNarrowest * step_hz_); }

 private:
  static constexpr int kTable = 4096;
  /// 2 N(s) - N(sqrt 2 s) over its reach, without its factor: an exponential for each bin would
  /// take longer than the transforms.
  static const double* kernel() {
    static const std::vector<double> table = [] {
      std::vector<double> t;
      for (int i = 0; i <= kTable + 2; ++i) {
        const double x = kReach * i / kTable;
        const double wide = std::exp(-0.25 * x * x);
        t.push_back(2.0 * wide * wide - wide / std::sqrt(2.0));
      }
      return t;
    }();
    return table.data();
  }
  static constexpr double kNarrowest = 0.8;  // bins: below that their sum is no integral
  static constexpr double kReach = 5.0;
  std::size_t length_;
  double step_hz_;
  Spectrum bins_;
};

/// Energy of 2 g - g^2 over that of its bell's deviation.
constexpr double kBellEnergy = 2.554;

/// Mean of the power over 1/N octave on an even logarithmic axis, the phase of the middle kept.
void smooth_power(std::vector<double>& power, double points_per_octave, int bands_per_octave) {
  if (bands_per_octave <= 0) return;
  const double half = 0.5 * points_per_octave / bands_per_octave;
  const auto n = static_cast<std::ptrdiff_t>(power.size());
  std::vector<double> sums(power.size() + 1, 0.0);
  for (std::size_t i = 0; i < power.size(); ++i) sums[i + 1] = sums[i] + power[i];
  std::vector<double> out(power.size());
  for (std::ptrdiff_t i = 0; i < n; ++i) {
    // Cut alike on both sides at the ends, so that nothing leans.
    const double reach = std::min({half, static_cast<double>(i), static_cast<double>(n - 1 - i)});
    const auto whole = static_cast<std::ptrdiff_t>(reach);
    const double part = reach - static_cast<double>(whole);
    double sum =
        sums[static_cast<std::size_t>(i + whole + 1)] - sums[static_cast<std::size_t>(i - whole)];
    // The points beyond count by the share of the window that reaches toward them.
    if (part > 0.0 && i - whole > 0 && i + whole + 1 < n)
      sum += part * (power[static_cast<std::size_t>(i - whole - 1)] +
                     power[static_cast<std::size_t>(i + whole + 1)]);
    out[static_cast<std::size_t>(i)] = sum / (2.0 * reach + 1.0);
  }
  power = std::move(out);
}

}  // namespace

Result<Harmonics> harmonics_of(const ImpulseResponse& impulse, double arrival_s,
                               const SweepSpec& spec, const Response& noise,
                               const HarmonicsWish& wish) {
  const double rate = impulse.sample_rate_hz;
  const double step_s = spec.rate_s();
  // A sweep's ends blur over the root of its pace there, Hz per second (Fresnel's ripple).
  const double top_hz =
      std::min(spec.stop_hz() - 2.0 * std::sqrt(spec.stop_hz() / step_s), 0.475 * rate);
  const double low_hz = std::max(spec.start_hz(), 10.0);
  if (!(top_hz > 2.0 * low_hz))
    return bad_input("The sweep is too narrow to tell a harmonic from its response.");
  const double blur_hz = std::sqrt(spec.start_hz() / step_s);
  const double told_from_hz =
      std::max({spec.start_hz() * std::sqrt(2.0), spec.start_hz() + 2.0 * blur_hz, 10.0});
  Harmonics out{.axis = FrequencyAxis::logarithmic(low_hz, top_hz, wish.points_per_octave),
                .orders = {},
                .thd = {},
                .pace_s = step_s};
  const std::size_t count = out.axis.size();
  std::vector<double> microphone(count, 0.0);
  std::vector<double> densities;
  for (std::size_t i = 0; i < noise.size(); ++i) densities.push_back(noise.magnitude(i));
  const SoftEdge edge(0.9 * spec.start_hz());
  const ImpulseResponse soft = softened(impulse, arrival_s - step_s * std::log(kHighestOrder + 1.0),
                                        arrival_s + 2.0 * kLongest_s, edge);
  for (int n = 1; n <= kHighestOrder; ++n) {
    const double to_higher_s = step_s * std::log((n + 1.0) / n);
    const double to_lower_s = n > 1 ? step_s * std::log(n / (n - 1.0)) : 2.0 * kLongest_s;
    const Cut cut = cut_out(soft, arrival_s - step_s * std::log(static_cast<double>(n)),
                            std::min(kBefore * to_higher_s, 0.25 * kLongest_s),
                            std::min(kAfter * to_lower_s, kLongest_s));
    Harmonic one{.order = n,
                 .value = std::vector<Complex>(count),
                 .floor = std::vector<double>(count, 1e-300),
                 .spread = std::vector<double>(count, 1.0),
                 .at_most = std::vector<double>(count, 0.0),
                 .valid = {std::max(n == 1 ? spec.start_hz() + 0.75 * blur_hz : told_from_hz,
                                    1.0 / std::max(cut.period_s, 1e-4)),
                           top_hz / n}};
    if (cut.samples.size() >= 16) {
      const BellReader reader(cut, rate, n <= 5 ? 4 : 2);
      // As far as the order reaches.
      std::vector<double> power;
      std::vector<Complex> unit;
      std::vector<ValueNoise> here;
      const Complex turn =
          std::polar(1.0, std::fmod(2.0 * kPi * spec.start_hz() * step_s, 2.0 * kPi) * (n - 1));
      for (std::size_t i = 0; i < count && n * out.axis[i] < 0.5 * rate; ++i) {
        const double f = out.axis[i];
        const double bell_s =
            std::min(std::max(kBellPeriods / f, kShortestBell_s), reader.widest_s());
        const double rise = std::max(edge.at(n * f), 1e-3);
        const Complex value = reader.at(n * f, bell_s) * turn / rise;
        power.push_back(std::norm(value));
        unit.push_back(value);
        const double density = std::pow(value_between(noise.axis(), densities, n * f), 2);
        const double seconds = 1.0 / std::hypot(1.0 / (kBellEnergy * bell_s), 1.0 / cut.energy_s);
        const double octaves = wish.smoothing > 0 ? 1.0 / wish.smoothing : 0.0;
        const double band_hz = n * f * (std::exp2(0.5 * octaves) - std::exp2(-0.5 * octaves));
        here.push_back({density * seconds, density * cut.energy_s, 1.0 + band_hz * seconds});
      }
      smooth_power(power, wish.points_per_octave, wish.smoothing);
      for (std::size_t i = 0; i < power.size(); ++i)
        set_value(one, i, power[i], std::arg(unit[i]), here[i], microphone[i]);
    }
    if (n == 1)
      for (std::size_t i = 0; i < count; ++i)
        microphone[i] = wish.least_beside(std::abs(one.value[i]));
    out.orders.push_back(std::move(one));
  }
  add_thd(out);
  return out;
}

namespace {

/// How fast the delay of an order changes with the excitation's frequency, s per Hz: the bend of
/// its phase, by a parabola over a quarter of an octave to each side.
double delay_slope(const Harmonics& h, int order, double f) {
  const Harmonic& one = h.order(order);
  const std::size_t low = h.axis.bracket(f / std::exp2(0.25));
  const std::size_t high = std::min(h.axis.bracket(f * std::exp2(0.25)) + 1, h.axis.size() - 1);
  // Least squares of phase over x = (f - f0) / f0: 1, x, x^2.
  double s[5] = {};
  double p[3] = {};
  double phase = 0.0;
  double before = 0.0;
  bool first = true;
  for (std::size_t i = low; i <= high; ++i) {
    if (!one.heard(i, h.axis[i])) continue;
    const double turn = std::arg(one.value[i]);
    phase = first ? turn : phase + std::remainder(turn - before, 2.0 * kPi);
    before = turn;
    first = false;
    const double x = h.axis[i] / f - 1.0;
    double power = 1.0;
    for (int k = 0; k < 5; ++k) {
      s[k] += power;
      if (k < 3) p[k] += power * phase;
      power *= x;
    }
  }
  if (s[0] < 8.0) return 0.0;
  // Cramer's rule for the square's coefficient.
  const double det = s[0] * (s[2] * s[4] - s[3] * s[3]) - s[1] * (s[1] * s[4] - s[3] * s[2]) +
                     s[2] * (s[1] * s[3] - s[2] * s[2]);
  const double top = s[0] * (s[2] * p[2] - p[1] * s[3]) - s[1] * (s[1] * p[2] - p[1] * s[2]) +
                     p[0] * (s[1] * s[3] - s[2] * s[2]);
  if (!(std::abs(det) > 0.0)) return 0.0;
  const double bend = 2.0 * top / det / (f * f);  // second derivative of the phase over f
  return -bend / (2.0 * kPi * order);
}

/// What a sweep that moves makes of THD, as a logarithm: behind a filter whose delay changes with
/// frequency the sweep is denser or thinner, and order n of what comes then is off by
/// (1 + f' tau')^((1 - n) / 2), f' the pace in Hz per second. (By the stationary phase of the
/// filtered sweep's n-th power.) Nothing is off where the bend comes first and the filter after it.
double moved_log(const Harmonics& h, std::size_t i) {
  if (!(h.pace_s > 0.0)) return 0.0;
  const double f = h.axis[i];
  double sum = 0.0;
  double weighted = 0.0;
  for (int n = 2; n <= 3; ++n) {
    const Harmonic& one = h.order(n);
    if (!one.heard(i, f)) continue;
    const double power = std::norm(one.value[i]);
    const double denser = std::clamp(f / h.pace_s * delay_slope(h, n, f), -0.2, 0.2);
    sum += power;
    weighted += power * 0.5 * (1.0 - n) * std::log1p(denser);
  }
  return sum > 0.0 ? weighted / sum : 0.0;
}

/// What else a sweep's pace does to it, 95 %: the root of the pace is as finely as it can be read,
/// and a THD that falls as f^-p is off by (p (p + 1) f' / (4 pi f^2))^2 / 2 there (the next term of
/// the same expansion); and 0.12 dB, seen on motors of known curves swept in 2.7 s.
double blurred_log(const Harmonics& h, double f, double per_octave) {
  if (!(h.pace_s > 0.0)) return 0.0;
  constexpr double kSeen = 0.12 / 8.685890;
  const double p = std::abs(per_octave) / std::log(2.0);
  return std::hypot(kSeen, 0.5 * std::pow(p * (p + 1.0) / (4.0 * kPi * h.pace_s * f), 2));
}

}  // namespace

ValidRange own_band(const Harmonics& h, double down_db) {
  const Harmonic& f = h.order(1);
  double loudest = 0.0;
  for (std::size_t i = 0; i < h.axis.size(); ++i)
    if (f.valid.contains(h.axis[i])) loudest = std::max(loudest, std::abs(f.value[i]));
  const double least = loudest * std::pow(10.0, -down_db / 20.0);
  ValidRange band{1e12, 0.0};
  for (std::size_t i = 0; i < h.axis.size(); ++i) {
    if (!f.valid.contains(h.axis[i]) || std::abs(f.value[i]) < least) continue;
    band.low_hz = std::min(band.low_hz, h.axis[i]);
    band.high_hz = std::max(band.high_hz, h.axis[i]);
  }
  return band;
}

Threshold threshold_of(const Harmonics& h, double percent) {
  const double limit = percent / 100.0;
  // Above where it plays (a subwoofer's treble) noise hides everything, and nobody asks.
  constexpr double kHardlyPlays_db = 20.0;
  const ValidRange plays = h.orders.empty() ? ValidRange{} : own_band(h, kHardlyPlays_db);
  Threshold t;
  std::size_t above = h.axis.size();  // the last point looked at, under the limit
  for (std::size_t i = h.axis.size(); i-- > 0;) {
    const Thd& here = h.thd[i];
    if (h.axis[i] > plays.high_hz) continue;
    if (!here.whole) {
      if (above < h.axis.size()) break;
      continue;
    }
    // What is just under the limit is an uncertain crossing, not hidden.
    if (here.ratio < 0.8 * limit && here.at_most >= limit) {
      t.why = Threshold::Why::kNoise;
      t.seen_from_hz = above < h.axis.size() ? h.axis[above] : h.axis[i];
      return t;
    }
    if (here.ratio < limit) {
      above = i;
      t.seen_from_hz = h.axis[i];
      continue;
    }
    if (above == h.axis.size()) {
      t.why = Threshold::Why::kNeverUnder;
      return t;
    }
    // Between the two THD runs straight over log f, in dB.
    const double over = std::log(here.ratio / limit);
    const double under = h.thd[above].ratio > 0.0 ? std::log(limit / h.thd[above].ratio) : over;
    const double octaves = std::log2(h.axis[above] / h.axis[i]);
    const double share = over / std::max(over + under, 1e-12);
    double f = h.axis[i] * std::exp2(share * octaves);
    // The slope over a third of an octave: between two points noise decides.
    const double wide = std::exp2(1.0 / 6.0);
    const std::size_t low = h.axis.bracket(f / wide);
    const std::size_t high = std::min(h.axis.bracket(f * wide) + 1, h.axis.size() - 1);
    double slope = (over + under) / octaves;
    if (h.thd[low].whole && h.thd[high].whole && h.thd[low].ratio > 0.0 && h.thd[high].ratio > 0.0)
      slope =
          std::log(h.thd[low].ratio / h.thd[high].ratio) / std::log2(h.axis[high] / h.axis[low]);
    const double steep = std::max(std::abs(slope), 1e-3);
    const double hidden = here.at_most / here.ratio - 1.0;
    // Between two tones THD may bend.
    double bent = 0.0;
    if (!(h.pace_s > 0.0) && i > 0 && above + 1 < h.axis.size() && h.thd[i - 1].ratio > 0.0 &&
        h.thd[above].ratio > 0.0 && h.thd[above + 1].ratio > 0.0) {
      const auto log_at = [&](std::size_t k) { return std::log(h.thd[k].ratio); };
      bent = std::max(std::abs(log_at(i - 1) - 2.0 * log_at(i) + log_at(above)),
                      std::abs(log_at(i) - 2.0 * log_at(above) + log_at(above + 1))) /
             8.0;
    }
    const double spread = std::hypot(kTwoSided95 * std::hypot(here.spread, hidden / 1.645), bent,
                                     blurred_log(h, f, slope));
    // Whether the filter stands before the bend or after it nobody tells: the middle of both.
    const double moved = 0.5 * moved_log(h, i);
    f *= std::exp2(-moved / steep);
    t.frequency_hz = Estimate{f, f * (std::exp2((spread + std::abs(moved)) / steep) - 1.0)};
    t.why = Threshold::Why::kCrossed;
    return t;
  }
  return t;
}

}  // namespace lalometer
