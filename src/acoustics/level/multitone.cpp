#include "acoustics/level/multitone.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "acoustics/signal/fft.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

/// How many products of third order of `chosen` fall on `candidate`, and of both on a chosen one.
int collisions_with(const std::vector<int>& chosen, const std::set<int>& is_chosen, int candidate) {
  int count = 0;
  for (std::size_t i = 0; i < chosen.size(); ++i) {
    const int a = chosen[i];
    if (3 * a == candidate || is_chosen.contains(3 * candidate)) ++count;
    if (is_chosen.contains(2 * candidate - a) || is_chosen.contains(2 * candidate + a)) ++count;
    for (std::size_t j = 0; j < chosen.size(); ++j) {
      const int b = chosen[j];
      if (j != i && (2 * a - b == candidate || 2 * a + b == candidate)) ++count;
      if (j <= i) continue;
      // a + b - c = candidate, and with the candidate as a part of it.
      const int c = a + b - candidate;
      if (c != a && c != b && is_chosen.contains(c)) ++count;
      const int sum = a + candidate - b;
      if (sum != candidate && sum != a && sum != b && is_chosen.contains(sum)) ++count;
    }
  }
  return count;
}

std::vector<int> chosen_multiples(const MultitoneWish& w) {
  const double lowest = w.low_hz * w.period_s;
  const double highest = w.high_hz * w.period_s;
  const auto steps =
      static_cast<int>(std::floor(std::log2(highest / lowest) * w.tones_per_octave + 1e-6));
  std::vector<int> chosen;
  std::set<int> is_chosen;
  // From the top, where there is room to move without leaving the place.
  for (int k = steps; k >= 0; --k) {
    const double wanted = lowest * std::exp2(k / w.tones_per_octave);
    const int reach = std::max(2, static_cast<int>(wanted * 0.15 / w.tones_per_octave));
    int best = 0;
    int fewest = 0;
    // Outwards from the place: of equals the nearest.
    for (int off = 0; off <= reach; ++off) {
      for (const int side : {1, -1}) {
        const int m = static_cast<int>(std::lround(wanted)) + side * off;
        if (m % 2 == 0 || m < lowest - 1.0 || m > highest || is_chosen.contains(m)) continue;
        const int count = collisions_with(chosen, is_chosen, m);
        if (best == 0 || count < fewest) {
          best = m;
          fewest = count;
        }
      }
      if (best != 0 && fewest == 0) break;
    }
    if (best == 0) continue;
    chosen.push_back(best);
    is_chosen.insert(best);
  }
  std::sort(chosen.begin(), chosen.end());
  return chosen;
}

double peak_of(const Samples& x) {
  double peak = 0.0;
  for (const double v : x) peak = std::max(peak, std::abs(v));
  return peak;
}

}  // namespace

int third_order_collisions(const std::vector<int>& multiples) {
  int count = 0;
  const std::set<int> tones(multiples.begin(), multiples.end());
  for (const int a : multiples) {
    if (tones.contains(3 * a)) ++count;
    for (const int b : multiples) {
      if (b == a) continue;
      if (tones.contains(2 * a - b)) ++count;
      if (tones.contains(2 * a + b)) ++count;
      for (const int c : multiples)
        if (b > a && c != a && c != b && a + b - c != c && tones.contains(a + b - c)) ++count;
    }
  }
  return count;
}

Result<Multitone> multitone(const MultitoneWish& w) {
  if (!(w.low_hz > 0.0 && w.high_hz > w.low_hz && w.tones_per_octave > 0.0 && w.period_s > 0.0))
    return bad_input(
        "A multitone runs from above 0 Hz to a higher frequency, with some tones in it.");
  if (w.high_hz > 0.48 * w.sample_rate_hz)
    return bad_input(fmt::format("{} is above what a rate of {} Hz carries.",
                                 frequency_text(w.high_hz), shortest(w.sample_rate_hz)));
  const double narrowest = w.low_hz * (std::exp2(1.0 / w.tones_per_octave) - 1.0);
  if (narrowest * w.period_s < 2.0)
    return bad_input(fmt::format(
        "At {} the tones would lie {:.1f} Hz apart, closer than a period of {} s can tell: fewer "
        "to an octave, a higher start or a longer period.",
        frequency_text(w.low_hz), narrowest, shortest(w.period_s)));
  const auto length = static_cast<std::size_t>(std::llround(w.period_s * w.sample_rate_hz));
  std::vector<int> chosen = chosen_multiples(w);
  std::erase_if(chosen, [&](int m) {
    const double f = m / w.period_s;
    return f < w.part_from_hz * (1.0 - 1e-9) || f > w.part_to_hz * (1.0 + 1e-9);
  });
  if (chosen.size() < 2) return bad_input("Fewer than two tones fit there.");
  const RealTransform transform(length);
  Spectrum bins(transform.bin_count(), 0.0);
  const double count = static_cast<double>(chosen.size());
  std::vector<double> phases;
  for (std::size_t k = 0; k < chosen.size(); ++k)
    phases.push_back(-kPi * static_cast<double>(k * k) / count);
  Samples best(length);
  Samples x(length);
  std::vector<double> best_phases = phases;
  double lowest = 1e300;
  constexpr int kRounds = 120;
  for (int round = 0; round < kRounds; ++round) {
    std::fill(bins.begin(), bins.end(), 0.0);
    for (std::size_t k = 0; k < chosen.size(); ++k)
      bins[static_cast<std::size_t>(chosen[k])] = std::polar(1.0, phases[k] - 0.5 * kPi);
    transform.inverse(bins, x);
    const double peak = peak_of(x);
    if (peak < lowest) {
      lowest = peak;
      best = x;
      best_phases = phases;
    }
    // Clipped a little less from round to round, since what is cut off must not all come back.
    const double limit = peak * (0.75 + 0.2 * round / kRounds);
    for (double& v : x) v = std::clamp(v, -limit, limit);
    Spectrum back(transform.bin_count());
    transform.forward(x, back);
    for (std::size_t k = 0; k < chosen.size(); ++k)
      phases[k] = std::arg(back[static_cast<std::size_t>(chosen[k])]) + 0.5 * kPi;
  }
  Multitone out;
  double square = 0.0;
  for (const double v : best) square += v * v;
  out.crest = lowest / std::sqrt(square / static_cast<double>(length));
  for (const double v : best) out.period.push_back(v / lowest);
  for (const int m : chosen) out.tones_hz.push_back(m / w.period_s);
  out.phases_rad = std::move(best_phases);
  return out;
}

}  // namespace lalometer
