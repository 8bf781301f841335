#include "acoustics/signal/recording/sweep_track.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <complex>
#include <optional>
#include <vector>

#include "acoustics/signal/fft.h"
#include "acoustics/signal/recording/continuity.h"
#include "acoustics/signal/recording/recording_checks.h"
#include "acoustics/spectrum/bands.h"
#include "base/constants.h"

namespace lalometer {
namespace {

/// Lag (>= 0) at which the recording fits the stimulus best, by circular correlation, and how well.
struct Lag {
  std::ptrdiff_t samples = 0;
  double correlation = 0.0;
};

Lag best_lag(std::span<const double> recording, std::span<const double> stimulus,
             std::size_t start) {
  const std::size_t n = fast_length(recording.size() + stimulus.size());
  Spectrum y = real_spectrum(recording, n);
  const Spectrum x = real_spectrum(stimulus, n);
  for (std::size_t k = 0; k < y.size(); ++k) y[k] *= std::conj(x[k]);
  Samples correlation(n);
  RealTransform(n).inverse(y, correlation);
  // A sweep may start earlier than told (a file trimmed by hand), so all lags that leave it inside
  // count.
  const auto past = std::min(recording.size(), n);
  std::size_t best = 0;
  for (std::size_t i = 0; i < past; ++i) {
    if (std::abs(correlation[i]) > std::abs(correlation[best])) best = i;
  }
  const double norm = rms_of(recording) * std::sqrt(static_cast<double>(recording.size())) *
                      rms_of(stimulus) * std::sqrt(static_cast<double>(stimulus.size()));
  return {static_cast<std::ptrdiff_t>(best) - static_cast<std::ptrdiff_t>(start),
          norm > 0.0 ? std::abs(correlation[best]) / norm : 0.0};
}

/// Noise of a take's length correlates with a sweep by less than 0.02; a sweep cut in two by lost
/// samples still does by its larger part.
constexpr double kLeastCorrelation = 0.2;
/// Pieces of a sixth of an octave hold too little of a cycle below this to give a local delay.
constexpr double kFollowedFrom_hz = 30.0;
constexpr double kFollowedTo = 0.35;  // of the rate
/// A piece needs so many cycles to bend its phase.
constexpr double kCyclesToBend = 2.0;
/// A slip that counts.
constexpr double kLeastSlip_samples = 0.6;
constexpr double kOverItsUncertainty = 10.0;
constexpr double kSquaresLeft = 0.1;
/// No channel's phase is so rough: several blocks are missing.
constexpr double kRough_rad = 0.1;

/// Whether a slow sinusoid breaks somewhere: the residual of its own recursion x[n] - 2 cos(w)
/// x[n-1] + x[n-2] is tiny while it runs on and jumps by about w times the amplitude for a lost
/// sample. Judged against its own rms.
bool breaks(std::span<const double> recording, std::size_t from, std::size_t to,
            const SweepSpec& spec, std::ptrdiff_t origin) {
  if (to > recording.size() || from + 16 > to) return false;
  std::vector<double> residual;
  residual.reserve(to - from);
  for (std::size_t n = from + 2; n < to; ++n) {
    const double t =
        static_cast<double>(static_cast<std::ptrdiff_t>(n) - 1 - origin) / spec.sample_rate_hz();
    const double w = 2.0 * kPi * sweep_frequency_hz(spec, t) / spec.sample_rate_hz();
    residual.push_back(recording[n] - 2.0 * std::cos(w) * recording[n - 1] + recording[n - 2]);
  }
  // Gaussian noise passes eight sigma once in 10^15 samples; a factor of two covers the residual's
  // own drift.
  return peak_of(residual) > 16.0 * rms_of(residual);
}

double median(std::vector<double> values) {
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  return *middle;
}

/// The recording against the sweep in one band.
struct Piece {
  double centre_hz;
  double phase;  ///< at its centre, re the best lag, rad
  double gain_db;
  double unexplained;  ///< share of its power
};

/// Fits sine and cosine of the sweep, with amplitudes that may bend, and a line to a stretch: exact
/// even for pieces shorter than a cycle. Nothing where the stretch holds nothing.
/// @param origin  sample at which the sweep begins; from, to count from there.
std::optional<Piece> piece_of(std::span<const double> recording, const SweepSpec& spec,
                              std::ptrdiff_t origin, std::ptrdiff_t from, std::ptrdiff_t to,
                              double centre_hz) {
  const double rate = spec.sample_rate_hz();
  const double l = spec.rate_s();
  const double k = 2.0 * kPi * spec.start_hz() * l;
  const double cycles = static_cast<double>(to - from) / rate * centre_hz;
  const int powers = cycles < kCyclesToBend ? 2 : 3;
  Eigen::Matrix<double, 8, 8> gram = Eigen::Matrix<double, 8, 8>::Zero();
  Eigen::Matrix<double, 8, 1> cross = Eigen::Matrix<double, 8, 1>::Zero();
  double power = 0.0;
  const int columns = 2 + 2 * powers;
  // The middle of the band over log f is the middle in time.
  const double middle = 0.5 * static_cast<double>(from + to - 1);
  const double half = 0.5 * static_cast<double>(to - from);
  for (std::ptrdiff_t n = from; n < to; ++n) {
    const double phi = k * std::expm1(static_cast<double>(n) / rate / l);
    const double s = std::sin(phi);
    const double c = std::cos(phi);
    const double y = recording[static_cast<std::size_t>(origin + n)];
    const double u = (static_cast<double>(n) - middle) / half;
    // A line of its own: coupling capacitors creep back from the sweep's onset.
    const double row[8] = {s, c, 1.0, u, u * s, u * c, u * u * s, u * u * c};
    for (int i = 0; i < columns; ++i) {
      for (int j = i; j < columns; ++j) gram(i, j) += row[i] * row[j];
      cross[i] += row[i] * y;
    }
    power += y * y;
  }
  if (power <= 0.0) return std::nullopt;
  Eigen::MatrixXd matrix = gram.topLeftCorner(columns, columns).selfadjointView<Eigen::Upper>();
  const Eigen::VectorXd right = cross.head(columns);
  matrix.diagonal().array() += 1e-12 * matrix.trace();
  const Eigen::VectorXd x = matrix.ldlt().solve(right);
  if (!x.allFinite()) return std::nullopt;
  return Piece{centre_hz, std::atan2(x[1], x[0]), 20.0 * std::log10(std::hypot(x[0], x[1]) + 1e-30),
               std::max(0.0, 1.0 - x.dot(right) / power)};
}

/// Phases unwrapped from the low end, where a whole sample is a small angle.
void unwrap(std::vector<Piece>& pieces) {
  double previous = 0.0;
  for (Piece& p : pieces) {
    p.phase -= 2.0 * kPi * std::round((p.phase - previous) / (2.0 * kPi));
    previous = p.phase;
  }
}

/// A smooth channel's phases, with a step of delay within the piece `step` (none: the size), which
/// then tells nothing itself.
struct ChannelFit {
  double squares = 0.0;
  double slip_samples = 0.0;
  double uncertainty_samples = 0.0;
};

ChannelFit fitted_channel(const std::vector<Piece>& pieces, double rate, std::size_t step) {
  constexpr int kTerms = 6;
  const bool stepped = step < pieces.size();
  const auto rows = static_cast<Eigen::Index>(pieces.size());
  const Eigen::Index columns = kTerms + (stepped ? 1 : 0);
  Eigen::MatrixXd a(rows, columns);
  Eigen::VectorXd b(rows);
  const double top_hz = kFollowedTo * rate;
  for (Eigen::Index i = 0; i < rows; ++i) {
    const double f = pieces[static_cast<std::size_t>(i)].centre_hz;
    const double up = f / top_hz;
    const double down = kFollowedFrom_hz / f;
    const double terms[kTerms] = {up,   std::pow(up, 3.0),  std::pow(up, 5.0), std::pow(up, 9.0),
                                  down, std::pow(down, 3.0)};
    for (int k = 0; k < kTerms; ++k) a(i, k) = terms[k];
    const auto here = static_cast<std::size_t>(i);
    if (stepped) a(i, kTerms) = here >= step ? 2.0 * kPi * f / rate : 0.0;
    b[i] = pieces[here].phase;
    if (stepped && here == step) {
      a.row(i).setZero();
      b[i] = 0.0;
    }
  }
  const Eigen::HouseholderQR<Eigen::MatrixXd> qr(a);
  const Eigen::VectorXd x = qr.solve(b);
  ChannelFit fit;
  fit.squares = (a * x - b).squaredNorm();
  if (!stepped) return fit;
  fit.slip_samples = x[kTerms];
  const Eigen::MatrixXd r = qr.matrixQR().topRows(columns).triangularView<Eigen::Upper>();
  const double corner = std::abs(r(kTerms, kTerms));
  const double variance =
      fit.squares / static_cast<double>(std::max<Eigen::Index>(rows - 1 - columns, 1));
  fit.uncertainty_samples = std::sqrt(variance) / std::max(corner, 1e-12);
  return fit;
}

void find_slip(SweepTrack& track, const std::vector<Piece>& pieces, double rate) {
  constexpr std::size_t kLeastSide = 1;
  if (pieces.size() < 12) return;
  const ChannelFit smooth = fitted_channel(pieces, rate, pieces.size());
  ChannelFit best{.squares = smooth.squares};
  std::size_t at = pieces.size();
  for (std::size_t step = kLeastSide; step + 2 + kLeastSide <= pieces.size(); ++step) {
    const ChannelFit fit = fitted_channel(pieces, rate, step);
    if (fit.squares >= best.squares) continue;
    best = fit;
    at = step;
  }
  if (smooth.squares > kRough_rad * kRough_rad * static_cast<double>(pieces.size())) {
    at = std::min(at, pieces.size() - 1);
    track.slip_samples = best.slip_samples != 0.0 ? best.slip_samples : 1.0;
    track.slip_at_hz = pieces[at].centre_hz;
    return;
  }
  if (at == pieces.size() || std::abs(best.slip_samples) < kLeastSlip_samples ||
      std::abs(best.slip_samples) < kOverItsUncertainty * best.uncertainty_samples ||
      best.squares > kSquaresLeft * smooth.squares)
    return;
  track.slip_samples = best.slip_samples;
  track.slip_at_hz = pieces[at].centre_hz;
}

}  // namespace

SweepTrack track_sweep(std::span<const double> recording, const SweepSpec& spec,
                       std::size_t stimulus_start) {
  SweepTrack track;
  const std::vector<double> ideal = faded_sweep(spec);
  const Lag lag = best_lag(recording, ideal, stimulus_start);
  if (lag.correlation < kLeastCorrelation) return track;
  track.present = true;
  track.latency_samples = static_cast<double>(lag.samples);
  const double rate = spec.sample_rate_hz();
  const std::ptrdiff_t origin = static_cast<std::ptrdiff_t>(stimulus_start) + lag.samples;
  std::vector<Piece> pieces;
  const double lowest_hz = std::max(2.0 * spec.start_hz(), kFollowedFrom_hz);
  const double highest_hz = std::min(0.93 * spec.stop_hz(), kFollowedTo * rate);
  if (!(lowest_hz < highest_hz)) return track;
  for (const Band& band : fractional_octave_bands(lowest_hz, highest_hz, 6)) {
    const auto from = static_cast<std::ptrdiff_t>(sweep_time_s(spec, band.low_hz) * rate);
    const auto to = static_cast<std::ptrdiff_t>(sweep_time_s(spec, band.high_hz) * rate);
    if (from < 0 || origin + from < 0 ||
        origin + to >= static_cast<std::ptrdiff_t>(recording.size()))
      continue;
    if (const auto piece = piece_of(recording, spec, origin, from, to, band.centre_hz))
      pieces.push_back(*piece);
  }
  if (pieces.size() < 4) return track;
  const auto slow_from =
      origin + static_cast<std::ptrdiff_t>(sweep_time_s(spec, 1.3 * spec.start_hz()) * rate);
  const auto slow_to = origin + static_cast<std::ptrdiff_t>(sweep_time_s(spec, lowest_hz) * rate);
  if (slow_from >= 0 && slow_to > slow_from &&
      breaks(recording, static_cast<std::size_t>(slow_from), static_cast<std::size_t>(slow_to),
             spec, origin)) {
    track.slip_samples = 1.0;
    track.slip_at_hz = lowest_hz;
  }
  unwrap(pieces);
  double loudest = -1e9;
  double softest = 1e9;
  for (const Piece& p : pieces) {
    if (p.unexplained > track.worst_unexplained) {
      track.worst_unexplained = p.unexplained;
      track.unexplained_at_hz = p.centre_hz;
    }
    loudest = std::max(loudest, p.gain_db);
    softest = std::min(softest, p.gain_db);
  }
  track.gain_spread_db = loudest - softest;
  std::vector<double> upper;
  for (std::size_t i = pieces.size() / 2; i < pieces.size(); ++i)
    upper.push_back(-pieces[i].phase / (2.0 * kPi * pieces[i].centre_hz) * rate);
  track.latency_samples += median(std::move(upper));
  if (track.slip_samples == 0.0) find_slip(track, pieces, rate);
  return track;
}

std::optional<double> sweep_latency_samples(std::span<const double> recording,
                                            const SweepSpec& spec, std::size_t stimulus_start) {
  const Lag lag = best_lag(recording, faded_sweep(spec), stimulus_start);
  if (lag.correlation < kLeastCorrelation) return std::nullopt;
  return static_cast<double>(lag.samples);
}

std::optional<double> loopback_break_hz(std::span<const double> loopback, const SweepTrack& track,
                                        const SweepSpec& spec, std::size_t stimulus_start,
                                        bool unclipped) {
  if (!track.continuous()) return track.broken_at_hz();
  if (!unclipped) return std::nullopt;
  // Where a converter's filter works, the sweep fades and turns quickly without any break; there a
  // lost sample is half the wave, though.
  constexpr double kKink = 1e-4;
  constexpr double kKinkNearTheTop = 0.1;
  constexpr double kNearTheTop = 0.3;  // of the rate
  constexpr double kOnset_s = 0.002;
  constexpr double kEnd_s = 0.004;  // its fade, and a filter's ringing
  const std::size_t starts =
      stimulus_start + static_cast<std::size_t>(std::max(track.latency_samples, 0.0));
  const double top_hz = std::min(kNearTheTop * spec.sample_rate_hz(), 0.8 * spec.stop_hz());
  auto kink = find_sweep_kink(loopback, spec, starts, kKink, kOnset_s, 0.015 * spec.duration_s());
  if (!kink || kink->at_hz > top_hz)
    kink = find_sweep_kink(loopback, spec, starts, kKinkNearTheTop, sweep_time_s(spec, top_hz),
                           kEnd_s);
  return kink ? std::optional(kink->at_hz) : std::nullopt;
}

}  // namespace lalometer
