#include "acoustics/level/multitone_reading.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <numeric>
#include <optional>

#include "acoustics/signal/fft.h"
#include "acoustics/signal/windows.h"
#include "acoustics/spectrum/bands.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

constexpr double kLobe = 4.5;  // lines to each side of a tone that are its own
constexpr double kNaN = std::numeric_limits<double>::quiet_NaN();

struct Playing {
  std::size_t from = 0;
  std::size_t count = 0;
};

/// Bessel's I0(beta u), by its series.
double kaiser_at(double u, double beta) {
  const double q = 0.25 * beta * beta * u * u;
  double term = 1.0;
  double sum = 1.0;
  for (int k = 1; k < 40 && term > 1e-12 * sum; ++k) {
    term *= q / (static_cast<double>(k) * static_cast<double>(k));
    sum += term;
  }
  return sum;
}

/// Where it plays: blocks within 20 dB of the loudest, less what builds up and dies away.
Playing playing(std::span<const double> x, double rate) {
  const auto block = static_cast<std::size_t>(0.05 * rate);
  std::vector<double> energy;
  for (std::size_t i = 0; i + block <= x.size(); i += block)
    energy.push_back(std::inner_product(x.begin() + static_cast<std::ptrdiff_t>(i),
                                        x.begin() + static_cast<std::ptrdiff_t>(i + block),
                                        x.begin() + static_cast<std::ptrdiff_t>(i), 0.0));
  if (energy.empty()) return {};
  const double loudest = *std::max_element(energy.begin(), energy.end());
  std::size_t first = 0;
  std::size_t last = energy.size();
  while (first < last && energy[first] < 0.01 * loudest) ++first;
  while (last > first && energy[last - 1] < 0.01 * loudest) --last;
  // A file that ends while it plays was cut there and has nothing to die away; one that begins so
  // may have begun just before.
  const auto margin = static_cast<std::size_t>(0.2 * rate);
  std::size_t from = first * block + margin;
  std::size_t to = last < energy.size() ? last * block : x.size();
  if (last < energy.size()) to = to > margin ? to - margin : 0;
  if (!(loudest > 0.0) || to <= from) return {};
  return {from, to - from};
}

/// Recorder's clock over the player's: where the tones' own tops stand, by a parabola through the
/// logarithm of three lines.
double rate_of(const std::vector<double>& power, double step_hz, const std::vector<double>& tones) {
  constexpr double kMost = 500e-6;
  std::vector<double> ratios;
  for (const double f : tones) {
    const double at = f / step_hz;
    const double reach = std::max(2.0, kMost * at);
    // Of low tones a line is many parts in a million.
    if (at < 2000.0) continue;
    const auto first = static_cast<std::size_t>(std::max(1.0, at - reach));
    const auto last = std::min(static_cast<std::size_t>(at + reach), power.size() - 2);
    if (last <= first) continue;
    std::size_t top = first;
    for (std::size_t k = first; k <= last; ++k)
      if (power[k] > power[top]) top = k;
    const double a = std::log(std::max(power[top - 1], 1e-300));
    const double b = std::log(std::max(power[top], 1e-300));
    const double c = std::log(std::max(power[top + 1], 1e-300));
    const double bend = a - 2.0 * b + c;
    const double off = bend < 0.0 ? 0.5 * (a - c) / bend : 0.0;
    ratios.push_back((static_cast<double>(top) + off) / at);
  }
  if (ratios.empty()) return 1.0;
  std::nth_element(ratios.begin(), ratios.begin() + static_cast<std::ptrdiff_t>(ratios.size() / 2),
                   ratios.end());
  return ratios[ratios.size() / 2];
}

/// Mean square of each line; of all but the first and the last there are two.
struct Lines {
  std::vector<double> power;
  double step_hz = 0.0;
};

Lines lines_of(const std::vector<double>& x, double energy, double seconds) {
  // Not padded: each line counts once.
  const Spectrum bins = real_spectrum(x, x.size());
  Lines lines{.power = std::vector<double>(bins.size()), .step_hz = 1.0 / seconds};
  for (std::size_t k = 0; k < bins.size(); ++k)
    lines.power[k] = 2.0 * std::norm(bins[k]) / (static_cast<double>(x.size()) * energy);
  return lines;
}

Lines windowed_lines(std::span<const double> signal, double rate) {
  const std::vector<double> window = blackman_harris(signal.size());
  std::vector<double> x(signal.begin(), signal.end());
  double energy = 0.0;
  for (std::size_t i = 0; i < x.size(); ++i) {
    x[i] *= window[i];
    energy += window[i] * window[i];
  }
  return lines_of(x, energy, static_cast<double>(x.size()) / rate);
}

/// The time after which all tones come round together, where that is there: whole hundredths
/// of a second, as multitones are made.
std::optional<double> common_period(const std::vector<double>& tones, double seconds) {
  constexpr double kStep_s = 0.01;
  for (int k = 5; k * kStep_s <= seconds; ++k) {
    const double period_s = k * kStep_s;
    if (std::all_of(tones.begin(), tones.end(), [&](double f) {
          const double turns = f * period_s;
          return std::abs(turns - std::round(turns)) < 1e-6 * std::max(turns, 1.0);
        }))
      return period_s;
  }
  return std::nullopt;
}

/// The signal between its samples: `count` values, one every `step` samples from `from` on, by a
/// sinc through a Kaiser window of 64 samples (-90 dB up to 0.43 of the rate).
std::vector<double> stepped(std::span<const double> x, double from, double step,
                            std::size_t count) {
  constexpr int kHalf = 32;
  constexpr double kBeta = 9.0;
  const double top = kaiser_at(1.0, kBeta);
  // Read off a table: it is smooth.
  constexpr int kTable = 4096;
  std::vector<double> table(kTable + 2, 0.0);
  for (int i = 0; i <= kTable; ++i) {
    const double u = static_cast<double>(i) / kTable;
    table[static_cast<std::size_t>(i)] = kaiser_at(std::sqrt(1.0 - u * u), kBeta) / top;
  }
  std::vector<double> out(count);
  for (std::size_t i = 0; i < count; ++i) {
    const double at = from + step * static_cast<double>(i);
    const auto middle = static_cast<std::ptrdiff_t>(std::floor(at));
    const double part = at - static_cast<double>(middle);
    if (part < 1e-9) {
      out[i] = x[static_cast<std::size_t>(middle)];
      continue;
    }
    // sin(pi (part - m)) only changes its sign from sample to sample.
    const double sine = std::sin(kPi * part) / kPi;
    double sum = 0.0;
    for (int m = -kHalf + 1; m <= kHalf; ++m) {
      const double off = part - m;
      const double u = off / kHalf;
      if (std::abs(u) >= 1.0) continue;
      const double place = std::abs(u) * kTable;
      const auto cell = static_cast<std::size_t>(place);
      const double w =
          table[cell] + (place - static_cast<double>(cell)) * (table[cell + 1] - table[cell]);
      sum += x[static_cast<std::size_t>(middle + m)] * w * (m % 2 == 0 ? sine : -sine) / off;
    }
    out[i] = sum;
  }
  return out;
}

/// Whole periods without a window: each product has a line of its own, also beside a tone. The
/// recorder's clock is first told by the tones' phases in both halves, to a part in a thousand
/// millions.
std::optional<Lines> whole_periods(std::span<const double> x, double rate, double period_s,
                                   const std::vector<double>& tones, double& recorder_rate) {
  constexpr double kSame = 2e-9;
  // One clock for both: nothing is to be moved.
  const bool one_clock = std::abs(recorder_rate - 1.0) < 1e-7;
  if (one_clock) recorder_rate = 1.0;
  const double margin = one_clock ? 0.0 : 40.0;  // samples that the sinc needs at both ends
  const double room_s = (static_cast<double>(x.size()) - 2.0 * margin) / rate;
  auto periods = static_cast<int>(room_s / (period_s * recorder_rate) + 1e-9);
  if (periods > 1) periods -= periods % 2;
  const double count = periods * period_s * rate;
  const auto n = static_cast<std::size_t>(std::llround(count));
  if (periods < 1 || std::abs(count - std::round(count)) > 1e-6) return std::nullopt;
  // The last ones: what has to settle has settled.
  if (periods == 1) {
    if (!one_clock) return std::nullopt;
    return lines_of({x.end() - static_cast<std::ptrdiff_t>(n), x.end()}, static_cast<double>(n),
                    period_s);
  }
  if (n % 2 != 0) return std::nullopt;
  x = x.last(std::min(x.size(), n + static_cast<std::size_t>(2.0 * margin + 0.001 * count)));
  std::vector<double> even;
  for (int round = 0; round < 3; ++round) {
    const double step = 1.0 / recorder_rate;
    if (margin + step * static_cast<double>(n) + margin > static_cast<double>(x.size()))
      return std::nullopt;
    even = std::abs(step - 1.0) < kSame
               ? std::vector<double>(x.begin() + static_cast<std::ptrdiff_t>(margin),
                                     x.begin() + static_cast<std::ptrdiff_t>(margin) +
                                         static_cast<std::ptrdiff_t>(n))
               : stepped(x, margin, step, n);
    const std::span halves(even);
    const Spectrum first = real_spectrum(halves.first(n / 2), n / 2);
    const Spectrum second = real_spectrum(halves.subspan(n / 2), n / 2);
    std::vector<double> offs;
    for (const double f : tones) {
      const auto k = static_cast<std::size_t>(std::llround(f * 0.5 * periods * period_s));
      if (f < 0.25 * tones.back() || k >= first.size()) continue;
      const double turn = std::arg(second[k] / first[k]);
      offs.push_back(turn / (2.0 * kPi * f * 0.5 * periods * period_s));
    }
    if (offs.empty()) return std::nullopt;
    std::nth_element(offs.begin(), offs.begin() + static_cast<std::ptrdiff_t>(offs.size() / 2),
                     offs.end());
    const double off = offs[offs.size() / 2];
    if (one_clock && std::abs(off) > 1e-7) return std::nullopt;
    if (one_clock || std::abs(off) < kSame) break;
    recorder_rate *= 1.0 + off;
  }
  return lines_of(even, static_cast<double>(n), static_cast<double>(n) / rate);
}

/// Noise's mean power of a line near there: the median of 41 lines, which is ln 2 of it.
double noise_near(const std::vector<double>& power, std::size_t at) {
  constexpr std::size_t kReach = 20;
  std::vector<double> near(
      power.begin() + static_cast<std::ptrdiff_t>(at - std::min(at, kReach)),
      power.begin() + static_cast<std::ptrdiff_t>(std::min(at + kReach + 1, power.size())));
  const auto middle = near.begin() + static_cast<std::ptrdiff_t>(near.size() / 2);
  std::nth_element(near.begin(), middle, near.end());
  return *middle / std::log(2.0);
}

/// @param taken  lines that are tones.
std::vector<double> sidebands_of(const std::vector<double>& power, double step_hz,
                                 const std::vector<double>& tones, const std::vector<char>& taken) {
  constexpr double kSlower = 0.25;
  constexpr double kSure = 4.0;  // noise alone gets there in one of some thousand
  const auto line = [&](double f) { return std::llround(std::abs(f) / step_hz); };
  std::map<long long, int> pairs;  // how many sums and differences of two fall on a line
  for (std::size_t a = 0; a < tones.size(); ++a)
    for (std::size_t b = 0; b <= a; ++b) {
      ++pairs[line(tones[a] + tones[b])];
      ++pairs[line(tones[a] - tones[b])];
    }
  std::vector<double> all;
  for (const double f : tones) {
    double sum = 0.0;
    double spread = 0.0;  // noise's variance in it: of a line the square of its mean
    for (const double slow : tones) {
      if (slow >= kSlower * f) break;
      std::vector<double> heard;
      double noise = 0.0;
      for (const double at_hz : {f - slow, f + slow}) {
        const auto at = static_cast<std::size_t>(line(at_hz));
        if (at >= power.size() || taken[at] != 0 || pairs[line(at_hz)] > 1) continue;
        noise = std::max(noise, noise_near(power, at));
        heard.push_back(power[at]);
      }
      // Both sides are alike: one that cannot be read is as the other.
      for (const double each : heard) {
        const double weight = 2.0 / static_cast<double>(heard.size());
        sum += weight * (each - noise);
        spread += std::pow(weight * noise, 2);
      }
    }
    all.push_back(sum > kSure * std::sqrt(spread) ? std::sqrt(sum) : 0.0);
  }
  return all;
}

}  // namespace

double MultitoneReading::range_db() const {
  const double low = std::max(100.0, tones_hz.front());
  const double high = std::min(10000.0, tones_hz.back());
  double loudest = 0.0;
  for (std::size_t i = 0; i < band_hz.size(); ++i)
    if (band_hz[i] >= low / 1.01 && band_hz[i] <= high * 1.01 && std::isfinite(rest[i]))
      loudest = std::max(loudest, rest[i]);
  double mean_db = 0.0;
  for (const double t : tone) mean_db += 20.0 * std::log10(std::max(t, 1e-30));
  return loudest > 0.0 ? mean_db / static_cast<double>(tone.size()) - 20.0 * std::log10(loudest)
                       : kNaN;
}

Result<MultitoneReading> read_multitone(std::span<const double> signal, double rate,
                                        std::vector<double> tones) {
  std::sort(tones.begin(), tones.end());
  if (tones.size() < 2 || !(tones.front() > 0.0))
    return bad_input("A multitone has at least two tones; say which were played (tones_hz).");
  if (tones.back() >= 0.5 * rate)
    return bad_input(fmt::format("A tone of {} Hz is beyond what {} Hz samples hold.",
                                 shortest(tones.back()), shortest(rate)));
  const Playing stretch = playing(signal, rate);
  const double seconds = static_cast<double>(stretch.count) / rate;
  if (seconds < 0.5) return bad_input("No half second of it plays steadily.");
  double closest = 1e9;
  for (std::size_t i = 1; i < tones.size(); ++i)
    closest = std::min(closest, tones[i] - tones[i - 1]);
  if (closest * seconds < 2.0 * kLobe)
    return bad_input(fmt::format("Tones {} Hz apart need {} s to be told apart; {} s of it play.",
                                 three_digits(closest), three_digits(2.0 * kLobe / closest),
                                 three_digits(seconds)));

  MultitoneReading r;
  r.from_s = static_cast<double>(stretch.from) / rate;
  r.length_s = seconds;
  const std::span all = signal.subspan(stretch.from, stretch.count);
  Lines lines = windowed_lines(all, rate);
  r.recorder_rate = rate_of(lines.power, lines.step_hz, tones);
  bool whole = false;
  if (const auto period_s = common_period(tones, seconds))
    if (auto exact = whole_periods(all, rate, *period_s, tones, r.recorder_rate)) {
      lines = *std::move(exact);
      whole = true;
    }
  const std::vector<double>& power = lines.power;
  const double step_hz = lines.step_hz;
  r.tones_hz = std::move(tones);
  std::vector<char> taken(power.size(), 0);
  for (const double f : r.tones_hz) {
    // A clock that wanders widens the high ones.
    const double reach = whole ? 0.5 : std::max(kLobe, 2e-5 * f / step_hz);
    const double at = whole ? f / step_hz : f * r.recorder_rate / step_hz;
    const auto first = static_cast<std::size_t>(std::max(0.0, std::ceil(at - reach)));
    const auto last = std::min(static_cast<std::size_t>(at + reach), power.size() - 1);
    double sum = 0.0;
    for (std::size_t k = first; k <= last; ++k) {
      sum += power[k];
      taken[k] = 1;
    }
    r.tone.push_back(std::sqrt(sum));
  }
  if (whole) r.sidebands = sidebands_of(power, step_hz, r.tones_hz, taken);
  const double top_hz = std::min(20500.0, 0.45 * rate);
  for (const Band& band : fractional_octave_bands(20.0, top_hz, 3)) {
    if (band.high_hz > 0.5 * rate) break;
    double sum = 0.0;
    double hidden = 0.0;
    std::vector<double> others;
    for (auto k = static_cast<std::size_t>(std::ceil(band.low_hz / step_hz));
         k < power.size() && static_cast<double>(k) * step_hz < band.high_hz; ++k) {
      if (taken[k] != 0) {
        hidden += 1.0;
        continue;
      }
      sum += power[k];
      others.push_back(power[k]);
    }
    r.band_hz.push_back(band.centre_hz);
    if (static_cast<double>(others.size()) < std::max(3.0, 0.25 * hidden)) {
      r.rest.push_back(kNaN);
      continue;
    }
    const auto middle = others.begin() + static_cast<std::ptrdiff_t>(others.size() / 2);
    std::nth_element(others.begin(), middle, others.end());
    // The median of noise's lines is ln 2 of their mean.
    r.rest.push_back(std::sqrt(sum + hidden * *middle / std::log(2.0)));
  }
  return r;
}

}  // namespace lalometer
