#include "acoustics/signal/clocks/reference_chirps.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "acoustics/signal/clocks/clock_drift.h"
#include "acoustics/signal/fft.h"
#include "acoustics/signal/sweep.h"
#include "acoustics/signal/windows.h"
#include "base/constants.h"

namespace lalometer {
namespace {

/// Latency, flight and a drift of 300 ppm over a long sweep are within this of the sweep's place.
constexpr double kReach_s = 0.06;
/// Direct sound and first reflections: what two chirps are compared by.
constexpr double kBefore_s = 2e-3;
constexpr double kAfter_s = 6e-3;
constexpr double kStandsOut_db = 12.0;
/// What a correlation of two pulses is worth at best, samples.
constexpr double kCorrelation_samples = 0.01;

/// A chirp compressed by the ideal one: real part and envelope of its pulse.
struct Compressed {
  std::vector<double> pulse;
  std::vector<double> envelope;
};

/// @param window  of the recording; sample 0 of the result: a chirp that starts with it.
Compressed compressed_chirp(std::span<const double> window, const std::vector<double>& ideal) {
  const std::size_t n = fast_length(window.size() + ideal.size());
  Spectrum x = real_spectrum(window, n);
  const Spectrum r = real_spectrum(ideal, n);
  double power = 0.0;
  for (const auto& bin : r) power += std::norm(bin);
  Spectrum quadrature(x.size());
  for (std::size_t k = 0; k < x.size(); ++k) {
    x[k] *= std::conj(r[k]) / power * static_cast<double>(r.size());
    quadrature[k] = x[k] * std::complex<double>(0.0, -1.0);
  }
  const RealTransform transform(n);
  Samples real(n);
  Samples imaginary(n);
  transform.inverse(x, real);
  transform.inverse(quadrature, imaginary);
  Compressed out;
  for (std::size_t i = 0; i < window.size(); ++i) {
    out.pulse.push_back(real[i]);
    out.envelope.push_back(std::hypot(real[i], imaginary[i]));
  }
  return out;
}

double middle_of(std::vector<double> values) {
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  return *middle;
}

/// Of an envelope: its earliest top of at least half the highest, between samples; nothing where
/// the highest does not stand out.
std::optional<double> direct_at(const std::vector<double>& envelope) {
  const double highest = *std::max_element(envelope.begin(), envelope.end());
  if (!(highest > std::pow(10.0, kStandsOut_db / 20.0) * middle_of(envelope))) return std::nullopt;
  for (std::size_t i = 1; i + 1 < envelope.size(); ++i) {
    const double here = envelope[i];
    if (here < 0.5 * highest || here < envelope[i - 1] || here <= envelope[i + 1]) continue;
    const double bend = envelope[i - 1] - 2.0 * here + envelope[i + 1];
    return static_cast<double>(i) + 0.5 * (envelope[i - 1] - envelope[i + 1]) / bend;
  }
  return std::nullopt;
}

/// One chirp as it was heard.
struct Heard {
  double due_s;  ///< when it was played, from the sweep's start
  bool after;    ///< the sweep
  double place;  ///< samples of the recording
  double deviation;
};

/// place = start + rate * due + step * after, weighed.
struct Straight {
  Eigen::Vector3d value;
  Eigen::Vector3d deviation;
};
Straight straight(const std::vector<Heard>& heard, double rate, bool with_step) {
  const Eigen::Index p = with_step ? 3 : 2;
  const auto n = static_cast<Eigen::Index>(heard.size());
  Eigen::MatrixXd a(n, p);
  Eigen::VectorXd b(n);
  for (Eigen::Index i = 0; i < n; ++i) {
    const Heard& one = heard[static_cast<std::size_t>(i)];
    const double w = 1.0 / one.deviation;
    a(i, 0) = w;
    a(i, 1) = w * one.due_s;
    if (with_step) a(i, 2) = one.after ? w : 0.0;
    b(i) = w * (one.place - rate * one.due_s);
  }
  const Eigen::MatrixXd inverse = (a.transpose() * a).inverse();
  const Eigen::VectorXd x = inverse * (a.transpose() * b);
  // Places that scatter more than they should make all less certain, never more.
  const double freedom = std::max(1.0, static_cast<double>(n - p));
  const double spread = std::max(1.0, std::sqrt((a * x - b).squaredNorm() / freedom));
  Straight out{Eigen::Vector3d::Zero(), Eigen::Vector3d::Zero()};
  for (Eigen::Index k = 0; k < p; ++k) {
    out.value(k) = x(k);
    out.deviation(k) = spread * std::sqrt(inverse(k, k));
  }
  return out;
}

/// All chirps that stand out, their places by the first one's pulse.
/// @param drift  as far as it is known: a chirp that is heard slower stands at another time, by its
/// middle's Doppler shift over its slope (6 us for 300 ppm).
std::vector<Heard> heard_ones(std::span<const double> recording, double rate, double drift,
                              const ChirpTrain& train, double sweep_s, double sweep_at) {
  const std::vector<double> ideal = chirp(train, rate * (1.0 + drift));
  const auto reach = static_cast<std::ptrdiff_t>(kReach_s * rate);
  const auto before = static_cast<std::size_t>(kBefore_s * rate);
  const auto length = before + static_cast<std::size_t>(kAfter_s * rate);
  const auto size = static_cast<std::ptrdiff_t>(recording.size());
  std::vector<Heard> heard;
  std::vector<double> first;
  double first_direct = 0.0;
  for (const double due : chirp_starts_s(train, sweep_s)) {
    const auto from = static_cast<std::ptrdiff_t>(std::llround(sweep_at + due * rate)) - reach;
    std::vector<double> window(static_cast<std::size_t>(2 * reach) + ideal.size(), 0.0);
    for (std::size_t i = 0; i < window.size(); ++i) {
      const std::ptrdiff_t at = from + static_cast<std::ptrdiff_t>(i);
      if (at >= 0 && at < size) window[i] = recording[static_cast<std::size_t>(at)];
    }
    const Compressed c = compressed_chirp(window, ideal);
    const auto direct = direct_at(c.envelope);
    if (!direct || *direct < static_cast<double>(before) ||
        *direct + static_cast<double>(length) > static_cast<double>(c.pulse.size()))
      continue;
    const auto whole = static_cast<std::size_t>(*direct) - before;
    std::vector<double> pulse(c.pulse.begin() + static_cast<std::ptrdiff_t>(whole),
                              c.pulse.begin() + static_cast<std::ptrdiff_t>(whole + length));
    apply_fades(pulse, before / 2, length / 4);
    Heard one{due, due > 0.0, static_cast<double>(from) + static_cast<double>(whole),
              kCorrelation_samples};
    if (first.empty()) {
      first = std::move(pulse);
      first_direct = *direct - static_cast<double>(whole);
    } else {
      const PulseDelay delay = delay_between(first, pulse);
      // Another pulse than the first one's: something else sounded there.
      if (std::abs(delay.samples) > static_cast<double>(before)) continue;
      one.place += delay.samples;
      one.deviation = std::hypot(kCorrelation_samples, delay.deviation);
    }
    heard.push_back(one);
  }
  for (Heard& one : heard) one.place += first_direct;
  return heard;
}

}  // namespace

std::vector<double> chirp_starts_s(const ChirpTrain& train, double sweep_s) {
  std::vector<double> starts;
  for (int k = 0; k < train.count; ++k) starts.push_back(-train.length_s() + k * train.period_s);
  for (int k = 0; k < train.count; ++k)
    starts.push_back(sweep_s + train.gap_s + k * train.period_s);
  return starts;
}

std::vector<double> chirp(const ChirpTrain& train, double sample_rate_hz, double offset_samples) {
  constexpr double kFades = 0.4;  // of a cosine-tapered window: a fifth at each end
  const double t_end = train.duration_s;
  std::vector<double> out(
      static_cast<std::size_t>(std::ceil(t_end * sample_rate_hz + offset_samples)) + 1, 0.0);
  for (std::size_t i = 0; i < out.size(); ++i) {
    const double t = (static_cast<double>(i) - offset_samples) / sample_rate_hz;
    if (t < 0.0 || t > t_end) continue;
    const double edge = std::min(t, t_end - t) / (0.5 * kFades * t_end);
    const double window = edge < 1.0 ? falling_half_hann(1.0 - edge) : 1.0;
    const double turns =
        train.start_hz * t + 0.5 * (train.stop_hz - train.start_hz) * t * t / t_end;
    out[i] = window * std::sin(2.0 * kPi * turns);
  }
  return out;
}

std::optional<HeardChirps> hear_chirps(std::span<const double> recording, double rate,
                                       const ChirpTrain& train, double sweep_s, double sweep_at) {
  constexpr double kSlip_samples = 0.4;
  constexpr double kDeviations = 4.0;
  if (train.count < 2) return std::nullopt;
  HeardChirps out;
  bool slipped = false;
  double step = 0.0;
  for (int round = 0; round < 2; ++round) {
    const std::vector<Heard> heard =
        heard_ones(recording, rate, 1e-6 * out.drift_ppm, train, sweep_s, sweep_at);
    const auto after =
        std::count_if(heard.begin(), heard.end(), [](const Heard& h) { return h.after; });
    if (after < 2 || static_cast<std::ptrdiff_t>(heard.size()) - after < 2) return std::nullopt;
    const Straight stepped = straight(heard, rate, true);
    step = stepped.value(2);
    slipped = std::abs(step) > std::max(kSlip_samples, kDeviations * stepped.deviation(2));
    const Straight line = slipped ? stepped : straight(heard, rate, false);
    out = {.sweep_at = line.value(0),
           .deviation_samples = line.deviation(0),
           .drift_ppm = 1e6 * line.value(1) / rate,
           .uncertainty_ppm = kTwoSided95 * 1e6 * line.deviation(1) / rate};
  }
  // Lost samples bring what follows nearer.
  if (slipped) out.missing = -step;
  return out;
}

}  // namespace lalometer
