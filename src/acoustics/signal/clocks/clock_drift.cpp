#include "acoustics/signal/clocks/clock_drift.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "acoustics/signal/clocks/sweep_search.h"
#include "acoustics/signal/fft.h"
#include "acoustics/signal/minimum_phase.h"
#include "acoustics/signal/windows.h"
#include "base/constants.h"

namespace lalometer {
namespace {

/// Top of the absolute values.
std::size_t top_of(std::span<const double> x) {
  const auto louder = [](double a, double b) { return std::abs(a) < std::abs(b); };
  return static_cast<std::size_t>(std::max_element(x.begin(), x.end(), louder) - x.begin());
}

double parabola_top(double before, double at, double after) {
  const double bend = before - 2.0 * at + after;
  return bend < 0.0 ? 0.5 * (before - after) / bend : 0.0;
}

/// A sweep's pulse, faded at both ends, with its place in the recording.
struct Pulse {
  std::ptrdiff_t first;  ///< index of the recording that its first sample belongs to
  std::vector<double> samples;
};

Pulse pulse_at(std::span<const double> recording, const SweepSpec& spec, double start,
               double reach_s) {
  const double whole = std::floor(start);
  const ImpulseResponse h = compressed(recording, spec, whole, reach_s, reach_s);
  const auto zero = static_cast<std::ptrdiff_t>(h.zero_at);
  const auto reach = static_cast<std::ptrdiff_t>(reach_s * h.sample_rate_hz);
  Pulse pulse{static_cast<std::ptrdiff_t>(whole) - reach, {}};
  for (std::ptrdiff_t i = -reach; i <= reach; ++i) {
    const std::ptrdiff_t at = zero + i;
    pulse.samples.push_back(at >= 0 && at < static_cast<std::ptrdiff_t>(h.samples.size())
                                ? h.samples[static_cast<std::size_t>(at)]
                                : 0.0);
  }
  apply_fades(pulse.samples, pulse.samples.size() / 8, pulse.samples.size() / 8);
  return pulse;
}

/// Places of like pulses over their numbers: a line.
struct Line {
  double slope = 0.0;
  double deviation = 0.0;  ///< of one place
  double slope_deviation = 0.0;
};

Line line_through(const std::vector<double>& number, const std::vector<double>& place) {
  const auto n = static_cast<double>(number.size());
  double mean_x = 0.0;
  double mean_y = 0.0;
  for (std::size_t i = 0; i < number.size(); ++i) {
    mean_x += number[i] / n;
    mean_y += place[i] / n;
  }
  double sxx = 0.0;
  double sxy = 0.0;
  for (std::size_t i = 0; i < number.size(); ++i) {
    sxx += (number[i] - mean_x) * (number[i] - mean_x);
    sxy += (number[i] - mean_x) * (place[i] - mean_y);
  }
  Line line{sxy / sxx, 0.0, 0.0};
  double square = 0.0;
  for (std::size_t i = 0; i < number.size(); ++i)
    square += std::pow(place[i] - mean_y - line.slope * (number[i] - mean_x), 2);
  line.deviation = n > 2.0 ? std::sqrt(square / (n - 2.0)) : 0.0;
  line.slope_deviation = 1.0 / std::sqrt(sxx);
  return line;
}

/// What the correlation of two pulses is worth, samples.
constexpr double kCorrelation_samples = 0.02;
constexpr double kSlip_samples = 0.4;

/// Where steps between neighbours differ from the usual one by a slip.
void find_slip(const std::vector<double>& number, const std::vector<double>& place,
               double deviation, ClockDrift& drift) {
  constexpr double kDeviations = 5.0;
  if (number.size() < 3) return;
  std::vector<double> steps;
  for (std::size_t i = 1; i < number.size(); ++i)
    steps.push_back((place[i] - place[i - 1]) / (number[i] - number[i - 1]));
  std::vector<double> sorted = steps;
  std::sort(sorted.begin(), sorted.end());
  const double usual = sorted[(sorted.size() - 1) / 2];
  double largest = std::max(kSlip_samples, kDeviations * deviation);
  for (std::size_t i = 0; i < steps.size(); ++i) {
    const double off = (steps[i] - usual) * (number[i + 1] - number[i]);
    if (std::abs(off) <= largest) continue;
    largest = std::abs(off);
    drift.slip_after = i;
    drift.slip_samples = -off;  // lost ones bring the next sweep nearer
  }
  drift.slip_placed = !drift.slip_after || steps.size() > 2;
}

}  // namespace

namespace {

/// Top of a correlation, by its spectrum; n: length of the transform that it came from.
double top_of_correlation(const Spectrum& product, std::size_t n) {
  constexpr std::size_t kFiner = 16;
  const RealTransform fine(n * kFiner);
  Spectrum padded(fine.bin_count(), 0.0);
  std::copy(product.begin(), product.end(), padded.begin());
  Samples correlation(fine.size());
  fine.inverse(padded, correlation);
  const auto top = static_cast<std::size_t>(
      std::max_element(correlation.begin(), correlation.end()) - correlation.begin());
  const std::size_t size = correlation.size();
  const double within = parabola_top(correlation[(top + size - 1) % size], correlation[top],
                                     correlation[(top + 1) % size]);
  double at = static_cast<double>(top) + within;
  if (at > 0.5 * static_cast<double>(size)) at -= static_cast<double>(size);
  return at / static_cast<double>(kFiner);
}

/// Mean over some bins to each side.
std::vector<double> over_neighbours(const std::vector<double>& x) {
  constexpr std::size_t kReach = 6;
  std::vector<double> out(x.size());
  double sum = 0.0;
  std::size_t from = 0;
  std::size_t to = 0;
  for (std::size_t k = 0; k < x.size(); ++k) {
    while (to < x.size() && to <= k + kReach) sum += x[to++];
    while (k > from + kReach) sum -= x[from++];
    out[k] = sum / static_cast<double>(to - from);
  }
  return out;
}

}  // namespace

PulseDelay delay_between(std::span<const double> a, std::span<const double> b) {
  // Where the loudspeaker plays nothing there is nothing but noise; it would only shake the top. In
  // noise alone what is common comes to no such size by chance.
  constexpr double kInCommon = 4.0;
  const std::size_t n = fast_length(a.size() + b.size());
  const Spectrum fa = real_spectrum(a, n);
  const Spectrum fb = real_spectrum(b, n);
  Spectrum product(fa.size());
  for (std::size_t k = 0; k < fa.size(); ++k) product[k] = std::conj(fa[k]) * fb[k];
  PulseDelay delay{top_of_correlation(product, n), static_cast<double>(a.size())};
  std::vector<double> common(fa.size());
  std::vector<double> apart(fa.size());
  for (int round = 0; round < 2; ++round) {
    const auto turn = [n](std::size_t k) {
      return 2.0 * kPi * static_cast<double>(k) / static_cast<double>(n);
    };
    for (std::size_t k = 0; k < fa.size(); ++k) {
      const std::complex<double> back = std::polar(1.0, turn(k) * delay.samples);
      common[k] = (std::conj(fa[k]) * fb[k] * back).real();
      apart[k] = std::norm(fb[k] * back - fa[k]);
    }
    common = over_neighbours(common);
    apart = over_neighbours(apart);
    double information = 0.0;
    for (std::size_t k = 0; k < fa.size(); ++k) {
      const bool told = common[k] > kInCommon * apart[k];
      product[k] = told ? std::conj(fa[k]) * fb[k] : 0.0;
      if (told)
        information += 2.0 * turn(k) * turn(k) * common[k] / std::max(apart[k], 1e-12 * common[k]);
    }
    if (!(information > 0.0)) return delay;
    // Zeros behind the pulses give more bins than independent ones.
    const double bins = static_cast<double>(n) / static_cast<double>(a.size());
    delay = {top_of_correlation(product, n), std::sqrt(bins / information)};
  }
  return delay;
}

std::optional<ClockDrift> drift_of_repeats(std::span<const double> recording, const SweepSpec& spec,
                                           std::span<const double> starts, double period_s) {
  constexpr double kReach_s = 0.03;
  constexpr double kFarthest = 2e-3;
  if (starts.size() < 2 || !(period_s > 0.0)) return std::nullopt;
  const double period = period_s * spec.sample_rate_hz();
  const Pulse first = pulse_at(recording, spec, starts[0], kReach_s);
  std::vector<double> number = {0.0};
  std::vector<double> place = {static_cast<double>(first.first)};
  double deviation = kCorrelation_samples;  // of one place
  for (std::size_t i = 1; i < starts.size(); ++i) {
    const double count = std::round((starts[i] - starts[0]) / period);
    const double due = starts[0] + count * period;
    if (count < 1.0 || std::abs(starts[i] - due) > kFarthest * count * period + 0.02 * period)
      continue;
    // Once more with the window where the first pulse has it: a bass pulse is longer than that.
    Pulse pulse = pulse_at(recording, spec, starts[i], kReach_s);
    const double off = delay_between(first.samples, pulse.samples).samples;
    pulse = pulse_at(recording, spec, std::floor(starts[i]) + std::round(off), kReach_s);
    number.push_back(count);
    const PulseDelay delay = delay_between(first.samples, pulse.samples);
    place.push_back(static_cast<double>(pulse.first) + delay.samples);
    deviation = std::max(deviation, delay.deviation);
  }
  if (number.size() < 2) return std::nullopt;
  ClockDrift drift{.basis = ClockDrift::Basis::kRepeats};
  find_slip(number, place, deviation, drift);
  if (drift.slip_after && drift.slip_placed) {
    // What lies behind the slip is brought back: the line goes through both parts.
    for (std::size_t i = *drift.slip_after + 1; i < place.size(); ++i)
      place[i] += drift.slip_samples;
  }
  const Line line = line_through(number, place);
  const double one = std::max(line.deviation, deviation);
  drift.ppm = 1e6 * (line.slope / period - 1.0);
  drift.uncertainty_ppm = kTwoSided95 * 1e6 * one * line.slope_deviation / period;
  if (!drift.slip_placed) drift.uncertainty_ppm += 0.5e6 * std::abs(drift.slip_samples) / period;
  return drift;
}

namespace {

/// Excess phase of a direct sound over its own minimum phase, with what it is worth.
struct ExcessPhase {
  std::vector<double> frequency_hz;
  std::vector<double> radian;
  std::vector<double> weight;
};

std::optional<ExcessPhase> excess_phase(std::span<const double> direct, double zero, double rate,
                                        const SweepSpec& spec) {
  constexpr std::size_t kLength = 16384;
  constexpr double kOctaves = 2.2;
  const Spectrum h = real_spectrum(direct, kLength);
  const double step = rate / static_cast<double>(kLength);
  std::vector<double> magnitude(h.size());
  double largest = 0.0;
  for (std::size_t k = 0; k < h.size(); ++k) {
    magnitude[k] = std::abs(h[k]);
    const double f = static_cast<double>(k) * step;
    if (f > spec.start_hz() && f < spec.stop_hz()) largest = std::max(largest, magnitude[k]);
  }
  if (!(largest > 0.0)) return std::nullopt;
  // The highest that is played: within 10 dB of the loudest, short of the sweep's own end.
  const double limit = std::min(0.9 * spec.stop_hz(), 0.42 * rate);
  double top = 0.0;
  for (std::size_t k = 1; k < h.size(); ++k) {
    const double f = static_cast<double>(k) * step;
    if (f < limit && magnitude[k] > 0.3 * largest) top = f;
  }
  constexpr double kLeastTop_hz = 1200.0;
  if (top < kLeastTop_hz) return std::nullopt;
  // Beyond the sweep the curve is continued level: what was not played has no phase.
  const auto last = static_cast<std::size_t>(limit / step);
  for (std::size_t k = 0; k < h.size(); ++k)
    magnitude[k] = std::max(magnitude[std::min(k, last)], 1e-3 * largest);
  const Spectrum least = minimum_phase(magnitude);
  ExcessPhase out;
  double before = 0.0;
  for (std::size_t k = 1; k < h.size(); ++k) {
    const double f = static_cast<double>(k) * step;
    if (f < top * std::exp2(-kOctaves) || f > top) continue;
    const double turned = std::arg(h[k] * std::conj(least[k])) + 2.0 * kPi * f * zero / rate;
    const double wrapped = out.radian.empty() ? std::remainder(turned, 2.0 * kPi)
                                              : before + std::remainder(turned - before, 2.0 * kPi);
    before = wrapped;
    out.frequency_hz.push_back(f);
    out.radian.push_back(wrapped);
    out.weight.push_back(std::min(1.0, std::norm(h[k]) / (0.1 * largest * largest)) / f);
  }
  if (out.radian.size() < 16) return std::nullopt;
  return out;
}

/// Slope of the excess delay over ln f, s, and its standard deviation. Constant and delay are free.
std::pair<double, double> delay_slope(const ExcessPhase& e) {
  const auto n = static_cast<Eigen::Index>(e.radian.size());
  Eigen::MatrixXd a(n, 4);
  Eigen::VectorXd b(n);
  const double middle = std::sqrt(e.frequency_hz.front() * e.frequency_hz.back());
  for (Eigen::Index i = 0; i < n; ++i) {
    const auto k = static_cast<std::size_t>(i);
    const double w = std::sqrt(e.weight[k]);
    const double turns = -2.0 * kPi * e.frequency_hz[k];
    a(i, 0) = w;
    a(i, 1) = w * turns;
    a(i, 2) = w * turns * std::log(e.frequency_hz[k] / middle);
    a(i, 3) = w / e.frequency_hz[k];
    b(i) = w * e.radian[k];
  }
  const Eigen::VectorXd scale = a.colwise().norm().cwiseInverse();
  const Eigen::MatrixXd scaled = a * scale.asDiagonal();
  const Eigen::VectorXd x = scaled.householderQr().solve(b);
  const Eigen::MatrixXd inverse = (scaled.transpose() * scaled).inverse();
  // The lines of a window of 5 ms hang together: some twenty of them are one.
  constexpr double kTogether = 20.0;
  const double square =
      (scaled * x - b).squaredNorm() / std::max(1.0, static_cast<double>(n) / kTogether - 4.0);
  return {x(2) * scale(2), std::sqrt(square / kTogether * inverse(2, 2) * kTogether) * scale(2)};
}

}  // namespace

std::optional<ClockDrift> drift_of_one(std::span<const double> recording, const SweepSpec& spec,
                                       double start) {
  constexpr double kReach_s = 0.03;
  constexpr double kBefore_s = 2e-3;
  constexpr double kAfter_s = 5e-3;
  constexpr double kOwnDelay_s = 60e-6;
  double drift = 0.0;
  double deviation = 0.0;
  double span = 1.0;
  for (int round = 0; round < 4; ++round) {
    const auto own = SweepSpec::make({spec.start_hz(), spec.stop_hz(), spec.duration_s(),
                                      spec.sample_rate_hz() * (1.0 + drift)});
    if (!own) return std::nullopt;
    const Pulse pulse = pulse_at(recording, *own, start, kReach_s);
    const std::size_t top = top_of(pulse.samples);
    const auto before = static_cast<std::size_t>(kBefore_s * spec.sample_rate_hz());
    const auto after = static_cast<std::size_t>(kAfter_s * spec.sample_rate_hz());
    if (top < before || top + after > pulse.samples.size()) return std::nullopt;
    std::vector<double> direct(pulse.samples.begin() + static_cast<std::ptrdiff_t>(top - before),
                               pulse.samples.begin() + static_cast<std::ptrdiff_t>(top + after));
    apply_fades(direct, before / 2, after / 2);
    const auto excess =
        excess_phase(direct, static_cast<double>(before), spec.sample_rate_hz(), *own);
    if (!excess) return std::nullopt;
    const auto [slope, of_slope] = delay_slope(*excess);
    drift += slope / spec.rate_s();
    deviation = of_slope / spec.rate_s();
    span = spec.rate_s() * std::log(excess->frequency_hz.back() / excess->frequency_hz.front());
    if (std::abs(drift) > 2e-3) return std::nullopt;
  }
  const double own = kOwnDelay_s / span;
  return ClockDrift{.ppm = 1e6 * drift,
                    .uncertainty_ppm = 1e6 * std::hypot(kTwoSided95 * deviation, own),
                    .basis = ClockDrift::Basis::kOneSweep};
}

}  // namespace lalometer
