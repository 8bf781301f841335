#include "acoustics/signal/clocks/sweep_search.h"

#include <algorithm>
#include <cmath>

#include "acoustics/signal/deconvolve.h"
#include "acoustics/signal/fft.h"

namespace lalometer {
namespace {

constexpr double kAboveMiddle_db = 24.0;
constexpr double kBelowLoudest_db = 40.0;
constexpr double kApart = 0.9;  ///< of the duration
constexpr double kCell_s = 2e-3;
constexpr std::size_t kHill = 5;  ///< cells beside one that is no pulse

/// Tops of the compressed recording in cells of 2 ms: |h| and where.
struct Cells {
  std::vector<double> top;
  std::vector<double> at;
};

Cells compressed_cells(std::span<const double> x, const SweepSpec& spec, double highest_hz) {
  const std::size_t length = spec.sample_count();
  const auto cell = static_cast<std::size_t>(kCell_s * spec.sample_rate_hz()) + 1;
  Cells out;
  out.top.assign(x.size() / cell + 1, 0.0);
  out.at.assign(out.top.size(), 0.0);
  const std::size_t block = fast_length(4 * length);
  std::vector<double> reference(block, 0.0);
  const std::vector<double> sweep = exponential_sweep(spec);
  std::copy(sweep.begin(), sweep.end(), reference.begin());
  // What begins in the first part of a block lies in it whole; the next block begins there.
  const std::size_t step = block - length - length / 8;
  for (std::size_t from = 0; from < x.size(); from += step) {
    std::vector<double> part(block, 0.0);
    const std::size_t to = std::min(from + block, x.size());
    std::copy(x.begin() + static_cast<std::ptrdiff_t>(from),
              x.begin() + static_cast<std::ptrdiff_t>(to), part.begin());
    const ImpulseResponse h =
        deconvolve(part, reference, spec.sample_rate_hz(), {spec.start_hz(), highest_hz});
    const auto zero = static_cast<std::size_t>(h.zero_at);
    for (std::size_t i = 0; i < step && from + i < x.size() && zero + i < h.samples.size(); ++i) {
      const double size = std::abs(h.samples[zero + i]);
      double& top = out.top[(from + i) / cell];
      if (size > top) {
        top = size;
        out.at[(from + i) / cell] = static_cast<double>(from + i);
      }
    }
  }
  return out;
}

/// Of the tops up to `reach` cells to each side: the one that a share of them stays below.
double share_of(const Cells& cells, std::size_t at, std::size_t reach, double share) {
  const std::size_t from = at > reach ? at - reach : 0;
  const std::size_t to = std::min(at + reach + 1, cells.top.size());
  std::vector<double> values(cells.top.begin() + static_cast<std::ptrdiff_t>(from),
                             cells.top.begin() + static_cast<std::ptrdiff_t>(to));
  const auto wanted =
      values.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(values.size() - 1));
  std::nth_element(values.begin(), wanted, values.end());
  return *wanted;
}

/// A pulse is one top and what dies away after it. Chirps and pips, compressed by a sweep, are loud
/// for a fifth of its duration, whatever silence lies around them.
bool is_pulse(const Cells& cells, std::size_t at, std::size_t apart, double near_s) {
  constexpr double kAboveNear_db = 10.0;
  constexpr double kMost = 0.7;
  const auto near = static_cast<std::size_t>(near_s / kCell_s);
  const auto above = [&](double db, double of) {
    return cells.top[at] > of * std::pow(10.0, db / 20.0);
  };
  return above(kAboveMiddle_db, share_of(cells, at, apart, 0.5)) &&
         above(kAboveNear_db, share_of(cells, at, near, kMost));
}

std::vector<HeardSweep> sweeps_up_to(double highest_hz, std::span<const double> recording,
                                     const SweepSpec& spec) {
  const Cells cells = compressed_cells(recording, spec, highest_hz);
  const std::size_t n = cells.top.size();
  const auto apart = static_cast<std::size_t>(kApart * spec.duration_s() / kCell_s);
  // A subwoofer's pulse is long itself, and chirps do not reach down to it.
  constexpr double kNear_s = 0.3;
  const bool bass = highest_hz < spec.stop_hz();
  const double near_s = bass ? kNear_s : std::clamp(0.1 * spec.duration_s(), 0.03, kNear_s);
  std::vector<std::size_t> order(n);
  for (std::size_t i = 0; i < n; ++i) order[i] = i;
  std::sort(order.begin(), order.end(),
            [&](std::size_t a, std::size_t b) { return cells.top[a] > cells.top[b]; });
  std::vector<HeardSweep> found;
  const double loudest = cells.top[order.front()];
  if (!(loudest > 0.0)) return found;
  std::vector<bool> taken(n, false);
  for (const std::size_t i : order) {
    const double level = 20.0 * std::log10(cells.top[i] / loudest);
    if (level < -kBelowLoudest_db) break;
    if (taken[i]) continue;
    const bool stands_out = is_pulse(cells, i, apart, near_s);
    // Whole in the recording: what begins too late has lost its treble.
    const bool whole = cells.at[i] + 0.98 * static_cast<double>(spec.sample_count()) <
                       static_cast<double>(recording.size());
    // A hill hides no pulse beside it.
    const std::size_t reach = stands_out ? apart : kHill;
    std::fill(taken.begin() + static_cast<std::ptrdiff_t>(i > reach ? i - reach : 0),
              taken.begin() + static_cast<std::ptrdiff_t>(std::min(i + reach + 1, n)), true);
    if (stands_out && whole) found.push_back({cells.at[i], level});
  }
  std::sort(found.begin(), found.end(),
            [](const HeardSweep& a, const HeardSweep& b) { return a.at_sample < b.at_sample; });
  return found;
}

}  // namespace

std::vector<HeardSweep> find_sweeps(std::span<const double> recording, const SweepSpec& spec) {
  constexpr double kBass_hz = 500.0;
  if (recording.size() < spec.sample_count()) return {};
  std::vector<HeardSweep> found = sweeps_up_to(spec.stop_hz(), recording, spec);
  // A subwoofer's pulse stands out where it plays only.
  if (found.empty() && spec.start_hz() < 0.25 * kBass_hz && spec.stop_hz() > kBass_hz)
    found = sweeps_up_to(kBass_hz, recording, spec);
  return found;
}

SweepStretch stretch_around(std::span<const double> recording, const SweepSpec& spec,
                            double excited_at, std::size_t before, std::size_t after) {
  const double whole = std::floor(excited_at);
  const std::vector<double> sweep = exponential_sweep(spec, excited_at - whole);
  const auto first = static_cast<std::ptrdiff_t>(whole) - static_cast<std::ptrdiff_t>(before);
  SweepStretch out;
  out.lead = before;
  out.signal.assign(before + sweep.size() + after, 0.0);
  out.reference.assign(out.signal.size(), 0.0);
  for (std::size_t i = 0; i < out.signal.size(); ++i) {
    const std::ptrdiff_t at = first + static_cast<std::ptrdiff_t>(i);
    if (at >= 0 && at < static_cast<std::ptrdiff_t>(recording.size()))
      out.signal[i] = recording[static_cast<std::size_t>(at)];
  }
  std::copy(sweep.begin(), sweep.end(),
            out.reference.begin() + static_cast<std::ptrdiff_t>(before));
  return out;
}

ImpulseResponse compressed(std::span<const double> recording, const SweepSpec& spec,
                           double at_sample, double before_s, double after_s) {
  const double rate = spec.sample_rate_hz();
  const auto before = static_cast<std::size_t>(std::ceil(before_s * rate));
  const auto after = static_cast<std::size_t>(std::ceil(after_s * rate));
  const SweepStretch part = stretch_around(recording, spec, at_sample, before, after);
  return deconvolve(part.signal, part.reference, rate, {spec.start_hz(), spec.stop_hz()},
                    static_cast<double>(before) / rate);
}

}  // namespace lalometer
