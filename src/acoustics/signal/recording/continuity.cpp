#include "acoustics/signal/recording/continuity.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <vector>

#include "acoustics/signal/deconvolve.h"
#include "acoustics/signal/fft.h"
#include "acoustics/signal/recording/recording_checks.h"
#include "acoustics/signal/windows.h"
#include "base/constants.h"

namespace lalometer {
namespace {

constexpr int kOrder = 12;
constexpr std::size_t kStretch = 512;
constexpr double kLeastDeviations = 9.0;
/// A kink that keeps the value but not the slope shows in several samples after it: rms of so many
/// in a row, in deviations. Six normals reach 2.5 once in a take.
constexpr std::size_t kRow = 6;
constexpr double kLeastRowDeviations = 4.5;
constexpr double kLeastShare = 0.003;

double median_of(std::vector<double> values) {
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  return *middle;
}

/// Index within the stretch of the sample that its own predictor predicts worst, if that is a
/// break.
std::optional<std::size_t> unforeseen(std::span<const double> y, double least_share) {
  const auto rows = static_cast<Eigen::Index>(y.size()) - kOrder;
  const Eigen::Map<const Eigen::VectorXd> all(y.data(), static_cast<Eigen::Index>(y.size()));
  const auto lagged = [&](int lag) { return all.segment(kOrder - lag, rows); };
  // Sums of products of lagged samples. Only the first row is summed; each step down the diagonal
  // shifts the same window by one sample: one product comes in and one goes out.
  Eigen::Matrix<double, kOrder + 1, kOrder + 1> sums;
  for (int j = 0; j <= kOrder; ++j) sums(0, j) = lagged(0).dot(lagged(j));
  const auto last = static_cast<Eigen::Index>(y.size()) - 1;
  for (int i = 0; i < kOrder; ++i) {
    for (int j = i; j < kOrder; ++j) {
      sums(i + 1, j + 1) =
          sums(i, j) + all[kOrder - 1 - i] * all[kOrder - 1 - j] - all[last - i] * all[last - j];
    }
  }
  Eigen::Matrix<double, kOrder, kOrder> gram =
      sums.bottomRightCorner<kOrder, kOrder>().selfadjointView<Eigen::Upper>();
  const Eigen::Matrix<double, kOrder, 1> cross = sums.topRightCorner<1, kOrder>().transpose();
  // Few sinusoids leave the system singular; a trace of the diagonal keeps it solvable.
  const double trace = gram.trace();
  if (!(trace > 0.0)) return std::nullopt;
  gram.diagonal().array() += 1e-12 * trace;
  const Eigen::Matrix<double, kOrder, 1> weights = gram.ldlt().solve(cross);
  Eigen::VectorXd error = lagged(0);
  for (int k = 0; k < kOrder; ++k) error -= weights[k] * lagged(k + 1);
  std::vector<double> sizes(static_cast<std::size_t>(rows));
  for (std::size_t i = 0; i < sizes.size(); ++i)
    sizes[i] = std::abs(error[static_cast<Eigen::Index>(i)]);
  const auto worst = std::max_element(sizes.begin(), sizes.end());
  // The middle of |normal| is 0.6745 deviations.
  const double deviation = median_of(sizes) / 0.6745;
  if (*worst < least_share * rms_of(y)) return std::nullopt;
  if (*worst >= kLeastDeviations * deviation)
    return static_cast<std::size_t>(worst - sizes.begin()) + kOrder;
  for (std::size_t i = 0; i + kRow <= sizes.size(); ++i) {
    if (rms_of(std::span(sizes).subspan(i, kRow)) >= kLeastRowDeviations * deviation)
      return i + kOrder;
  }
  return std::nullopt;
}

struct BandArrival {
  double centre_hz;
  double time_s;
};

/// A band's arrival has to stand out of what else there is, or the loudspeaker is not heard there.
constexpr double kOverMiddle = 5.0;

/// Time of the largest envelope of the response in each half octave from 200 Hz up, where one
/// stands out.
std::vector<BandArrival> band_arrivals(const ImpulseResponse& h, const SweepSpec& spec) {
  const auto louder = [](double a, double b) { return std::abs(a) < std::abs(b); };
  const auto peak = static_cast<std::size_t>(
      std::max_element(h.samples.begin(), h.samples.end(), louder) - h.samples.begin());
  const double rate = h.sample_rate_hz;
  const auto reach = static_cast<std::size_t>(0.1 * rate);
  const std::size_t begin = peak > reach ? peak - reach : 0;
  const std::size_t end = std::min(h.samples.size(), peak + reach);
  std::vector<double> cut(h.samples.begin() + static_cast<std::ptrdiff_t>(begin),
                          h.samples.begin() + static_cast<std::ptrdiff_t>(end));
  // Bass that is cut off sharply would click in every band.
  const auto fade = std::min(static_cast<std::size_t>(0.02 * rate), cut.size() / 2);
  apply_fades(cut, fade, fade);
  const std::size_t n = fast_length(2 * cut.size()) / 2 * 2;
  const Spectrum bins = real_spectrum(cut, n);
  const RealTransform transform(n);
  std::vector<BandArrival> arrivals;
  for (const double centre : {250.0, 354.0, 500.0, 707.0, 1000.0, 1414.0, 2000.0, 2828.0, 4000.0,
                              5657.0, 8000.0, 11314.0, 16000.0}) {
    if (centre < 1.5 * spec.start_hz() || centre > 0.7 * spec.stop_hz()) continue;
    // Real and quarter-turned version of the band give its envelope.
    Spectrum straight(bins.size(), 0.0);
    Spectrum turned(bins.size(), 0.0);
    for (std::size_t k = 1; k < bins.size(); ++k) {
      const double octaves =
          std::log2(static_cast<double>(k) * rate / static_cast<double>(n) / centre);
      if (std::abs(octaves) > 0.5) continue;
      straight[k] = bins[k] * (0.5 + 0.5 * std::cos(2.0 * kPi * octaves));
      turned[k] = straight[k] * std::complex<double>(0.0, -1.0);
    }
    Samples a(n);
    Samples b(n);
    transform.inverse(straight, a);
    transform.inverse(turned, b);
    std::size_t best = 0;
    for (std::size_t i = 0; i < cut.size(); ++i) {
      if (std::hypot(a[i], b[i]) > std::hypot(a[best], b[best])) best = i;
    }
    // Noise alone reaches three times its middle level.
    std::vector<double> envelope(cut.size());
    for (std::size_t i = 0; i < cut.size(); ++i) envelope[i] = std::hypot(a[i], b[i]);
    const double top = envelope[best];
    if (top < kOverMiddle * median_of(std::move(envelope))) continue;
    arrivals.push_back({centre, h.time_s(begin + best)});
  }
  return arrivals;
}

double scatter_of(std::span<const BandArrival> bands, double middle) {
  std::vector<double> off;
  for (const BandArrival& b : bands) off.push_back(std::abs(b.time_s - middle));
  return median_of(std::move(off));
}

double middle_of(std::span<const BandArrival> bands) {
  std::vector<double> times;
  for (const BandArrival& b : bands) times.push_back(b.time_s);
  return median_of(std::move(times));
}

}  // namespace

std::optional<SweepBreak> find_sweep_kink(std::span<const double> recording, const SweepSpec& spec,
                                          std::size_t stimulus_start, double least_share,
                                          double skipped_s, double unheard_s) {
  const double rate = spec.sample_rate_hz();
  const auto start = static_cast<double>(stimulus_start);
  const auto limit = static_cast<double>(recording.size());
  const double length = static_cast<double>(spec.sample_count());
  const auto from = static_cast<std::size_t>(std::clamp(start + skipped_s * rate, 0.0, limit));
  const auto to =
      static_cast<std::size_t>(std::clamp(start + length - unheard_s * rate, 0.0, limit));
  const auto played_hz = [&](double index) {
    return sweep_frequency_hz(spec, std::clamp((index - start) / rate, 0.0, spec.duration_s()));
  };
  const Clipping clipping = find_clipping(recording);
  // The last stretch ends with what is looked at.
  const auto next = [to](std::size_t at) {
    const std::size_t then = at + kStretch / 2;
    return then + kStretch > to && at + kStretch < to ? to - kStretch : then;
  };
  for (std::size_t at = from; at + kStretch <= to; at = next(at)) {
    // A clipped top is a break to any predictor, and no sample is missing for it: such stretches
    // are left to the arrival.
    const auto stretch = recording.subspan(at, kStretch);
    if (clipping.clipped_count > 0 && peak_of(stretch) >= 0.9999 * clipping.rail) continue;
    const auto found = unforeseen(stretch, least_share);
    if (!found) continue;
    const auto index = static_cast<double>(at + *found);
    return SweepBreak{played_hz(index), index / rate, 0.0};
  }
  return std::nullopt;
}

std::optional<SweepBreak> find_sweep_break(std::span<const double> recording, const SweepSpec& spec,
                                           std::size_t stimulus_start) {
  std::vector<double> reference(recording.size(), 0.0);
  const std::vector<double> sweep = exponential_sweep(spec);
  for (std::size_t i = 0; i < sweep.size() && stimulus_start + i < reference.size(); ++i)
    reference[stimulus_start + i] = sweep[i];
  return find_sweep_break(
      recording, spec, stimulus_start,
      deconvolve(recording, reference, spec.sample_rate_hz(), {spec.start_hz(), spec.stop_hz()}));
}

std::optional<SweepBreak> find_sweep_break(std::span<const double> recording, const SweepSpec& spec,
                                           std::size_t stimulus_start,
                                           const ImpulseResponse& response) {
  if (auto kink = find_sweep_kink(recording, spec, stimulus_start, kLeastShare,
                                  0.03 * spec.duration_s() + 0.02, 0.015 * spec.duration_s()))
    return kink;
  const double rate = spec.sample_rate_hz();
  const auto start = static_cast<double>(stimulus_start);
  const std::vector<BandArrival> bands = band_arrivals(response, spec);
  constexpr std::size_t kLeastSide = 3;
  for (std::size_t split = kLeastSide; split + kLeastSide <= bands.size(); ++split) {
    const std::span below(bands.data(), split);
    const std::span above(bands.data() + split, bands.size() - split);
    const double step = middle_of(above) - middle_of(below);
    const double scatter =
        std::max(scatter_of(below, middle_of(below)), scatter_of(above, middle_of(above)));
    // The bands next to the break must stand apart too: a slow drift of the group delay is none.
    const double beside = bands[split].time_s - bands[split - 1].time_s;
    const double period_s = 1.0 / bands[split].centre_hz;
    if (std::abs(step) < std::max(0.7 * period_s, 6.0 * scatter)) continue;
    if (std::abs(beside) < 0.6 * std::abs(step) || beside * step < 0.0) continue;
    const double at_hz = std::sqrt(bands[split].centre_hz * bands[split - 1].centre_hz);
    return SweepBreak{at_hz, (start / rate) + sweep_time_s(spec, at_hz), step * rate};
  }
  return std::nullopt;
}

}  // namespace lalometer
