#include "acoustics/level/residue/residue.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "acoustics/signal/fft.h"
#include "acoustics/signal/windows.h"

namespace lalometer {
namespace {

constexpr double kNaN = std::numeric_limits<double>::quiet_NaN();
constexpr double kAboveOrder = 10.5;
constexpr double kPerOctave = 6.0;
constexpr double kPeriods = 4.0;
constexpr double kFade = 0.2;    // of a stretch, at each end
constexpr double kSkirt = 1.05;  // of the high-pass
constexpr double kHighest_hz = 20000.0;
constexpr double kWorse_db = 10.0;

double db(double ratio) {
  return 20.0 * std::log10(std::max(ratio, 1e-30));
}

/// Power of the silence above any frequency.
class NoiseAbove {
 public:
  NoiseAbove(std::span<const double> silence, double rate, double top_hz) {
    const std::size_t n = silence.size();
    if (n < 16) return;
    std::vector<double> x(silence.begin(), silence.end());
    for (std::size_t i = 0; i < n; ++i)
      x[i] *= falling_half_hann(
          std::abs(2.0 * (static_cast<double>(i) + 0.5) / static_cast<double>(n) - 1.0));
    const Spectrum bins = real_spectrum(x, n);
    step_hz_ = rate / static_cast<double>(n);
    above_.assign(bins.size() + 1, 0.0);
    constexpr double kHannPower = 0.375;
    const double scale = 2.0 / (static_cast<double>(n) * static_cast<double>(n) * kHannPower);
    for (std::size_t k = bins.size(); k-- > 0;)
      above_[k] = above_[k + 1] +
                  (static_cast<double>(k) * step_hz_ <= top_hz ? scale * std::norm(bins[k]) : 0.0);
  }
  [[nodiscard]] double rms(double from_hz) const {
    if (above_.empty()) return 0.0;
    const auto k = static_cast<std::size_t>(std::ceil(from_hz / step_hz_));
    return k < above_.size() ? std::sqrt(above_[k]) : 0.0;
  }

 private:
  double step_hz_ = 1.0;
  std::vector<double> above_;
};

/// What lies above `from_hz` of a stretch, faded at both ends.
Samples high_passed(std::span<const double> x, double rate, double from_hz, double top_hz) {
  const std::size_t count = x.size();
  std::size_t n = fast_length(count + count / 4);
  while (n % 2 != 0) n = fast_length(n + 1);
  const RealTransform transform(n);
  Samples time(n, 0.0);
  const double fade = kFade * static_cast<double>(count);
  for (std::size_t i = 0; i < count; ++i) {
    const double edge = static_cast<double>(std::min(i, count - 1 - i)) + 0.5;
    time[i] = x[i] * falling_half_hann(1.0 - edge / fade);
  }
  Spectrum bins(transform.bin_count());
  transform.forward(time, bins);
  const double step_hz = rate / static_cast<double>(n);
  for (std::size_t k = 0; k < bins.size(); ++k) {
    const double f = static_cast<double>(k) * step_hz;
    const double rise =
        f <= 0.0 ? 0.0 : falling_half_hann(std::log(from_hz / f) / std::log(kSkirt));
    bins[k] *= f > top_hz ? 0.0 : rise;
  }
  transform.inverse(bins, time);
  time.resize(count);
  return time;
}

/// Likeness of the envelope after one period. It is read over the excitation's own phase, so that a
/// sweep's periods are all of one length.
double periodic(std::span<const double> x, const SweepSpec& spec, double from_s) {
  constexpr int kPerPeriod = 32;
  const double rate = spec.sample_rate_hz();
  const double unit = spec.start_hz() * spec.rate_s();  // periods
  const auto periods_at = [&](double t) { return unit * std::expm1(t / spec.rate_s()); };
  const auto index_at = [&](double periods) {
    return (spec.rate_s() * std::log1p(periods / unit) - from_s) * rate;
  };
  const double first = periods_at(from_s);
  const double last = periods_at(from_s + static_cast<double>(x.size()) / rate);
  std::vector<double> envelope;
  std::size_t i = 0;
  for (int k = 1; first + static_cast<double>(k) / kPerPeriod <= last; ++k) {
    const auto to = std::min(
        static_cast<std::size_t>(index_at(first + static_cast<double>(k) / kPerPeriod)), x.size());
    double sum = 0.0;
    const std::size_t begin = i;
    for (; i < to; ++i) sum += std::abs(x[i]);
    envelope.push_back(i > begin ? sum / static_cast<double>(i - begin) : 0.0);
  }
  if (envelope.size() < 2 * kPerPeriod) return 0.0;
  double mean = 0.0;
  for (const double e : envelope) mean += e / static_cast<double>(envelope.size());
  double product = 0.0;
  double earlier = 0.0;
  double later = 0.0;
  for (std::size_t k = 0; k + kPerPeriod < envelope.size(); ++k) {
    const double a = envelope[k] - mean;
    const double b = envelope[k + kPerPeriod] - mean;
    product += a * b;
    earlier += a * a;
    later += b * b;
  }
  return earlier > 0.0 && later > 0.0 ? product / std::sqrt(earlier * later) : 0.0;
}

}  // namespace

Residue residue_of(std::span<const double> signal, const SweepSpec& spec, double arrives_at,
                   std::span<const double> silence) {
  const double rate = spec.sample_rate_hz();
  const double top_hz = std::min(0.45 * rate, kHighest_hz);
  const NoiseAbove noise(silence, rate, top_hz);
  Residue r;
  const double half = std::exp2(0.5 / kPerOctave);
  for (double f = spec.start_hz() * 1.3; f * half < spec.stop_hz(); f *= half * half) {
    double from_s = sweep_time_s(spec, f / half);
    double to_s = sweep_time_s(spec, f * half);
    const double least_s = kPeriods / f / (1.0 - 2.0 * kFade);
    if (to_s - from_s < least_s) {
      const double middle_s = sweep_time_s(spec, f);
      from_s = middle_s - 0.5 * least_s;
      to_s = middle_s + 0.5 * least_s;
    }
    // The fades lie outside of what is read.
    const double fade_s = kFade / (1.0 - 2.0 * kFade) * (to_s - from_s);
    const double first = arrives_at + (from_s - fade_s) * rate;
    const double last = arrives_at + (to_s + fade_s) * rate;
    if (first < 0.0 || from_s < 0.0) continue;
    const double high_hz = sweep_frequency_hz(spec, to_s + fade_s);
    const double above_hz = kAboveOrder * high_hz;
    if (above_hz > 0.5 * top_hz || last > static_cast<double>(signal.size())) break;
    const auto begin = static_cast<std::size_t>(first);
    const auto count = static_cast<std::size_t>(last - first);
    const Samples x = high_passed(signal.subspan(begin, count), rate, above_hz, top_hz);
    const auto edge = static_cast<std::size_t>(fade_s * rate) + 1;
    const std::span<const double> inner =
        std::span<const double>(x).subspan(edge, count - 2 * edge);
    double energy = 0.0;
    double all = 0.0;
    double peak = 0.0;
    for (const double v : signal.subspan(begin + edge, inner.size())) all += v * v;
    for (const double v : inner) {
      energy += v * v;
      peak = std::max(peak, std::abs(v));
    }
    const double rms = std::sqrt(energy / static_cast<double>(inner.size()));
    const double quiet = noise.rms(above_hz / std::sqrt(kSkirt));
    r.frequency_hz.push_back(f);
    r.sweep.push_back(std::sqrt(all / static_cast<double>(inner.size())));
    r.rms.push_back(std::sqrt(std::max(rms * rms - quiet * quiet, 0.0)));
    r.noise.push_back(quiet);
    r.crest_db.push_back(db(peak / std::max(rms, 1e-30)));
    // Of so many independent values the largest is at about this (the mean of the normal maximum).
    const double independent = 2.0 * (top_hz - above_hz) * static_cast<double>(inner.size()) / rate;
    r.noise_crest_db.push_back(db(std::sqrt(2.0 * std::log(std::max(independent, 3.0)))));
    r.periods.push_back((to_s - from_s) * f);
    r.repeats.push_back(periodic(inner, spec, from_s));
  }
  return r;
}

ResidueChange residue_change(const Residue& own, const Residue& good) {
  ResidueChange change;
  bool open = false;
  int peaks = 0;
  int count = 0;
  for (std::size_t i = 0; i < own.frequency_hz.size(); ++i) {
    const double f = own.frequency_hz[i];
    const auto other = std::find_if(good.frequency_hz.begin(), good.frequency_hz.end(),
                                    [&](double g) { return std::abs(g / f - 1.0) < 0.03; });
    if (other == good.frequency_hz.end()) continue;
    const auto k = static_cast<std::size_t>(other - good.frequency_hz.begin());
    change.frequency_hz.push_back(f);
    if (!own.heard(i) && !good.heard(k)) {
      change.more_db.push_back(kNaN);
      open = false;
      continue;
    }
    const double mine = std::max(own.rms[i], own.noise[i]) / std::max(own.sweep[i], 1e-30);
    const double theirs = std::max(good.rms[k], good.noise[k]) / std::max(good.sweep[k], 1e-30);
    const double more = db(mine / theirs);
    change.more_db.push_back(more);
    const bool worse = own.heard(i) && more > kWorse_db;
    if (worse && !open) {
      change.worse.push_back({f, f, more, f, false});
      peaks = count = 0;
    }
    if (worse) {
      ResidueChange::Worse& w = change.worse.back();
      w.high_hz = f;
      peaks += own.in_peaks(i) ? 1 : 0;
      w.in_peaks = 2 * peaks > ++count;
      if (more > w.most_db) {
        w.most_db = more;
        w.at_hz = f;
      }
    }
    open = worse;
  }
  return change;
}

}  // namespace lalometer
