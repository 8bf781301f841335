#include "acoustics/decay/ridges.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>
#include <optional>

#include "acoustics/signal/fft.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
using Matrix = Eigen::MatrixXcd;
using Vector = Eigen::VectorXcd;

constexpr double kPlaces = 6.0;    // an octave
constexpr double kReach = 4.0;     // of the bell's deviations
constexpr double kLongest = 60.0;  // periods that are looked at
constexpr std::size_t kMostPoles = 7;
constexpr double kSame = 0.02;  // of a frequency
constexpr double kSameDecay = 0.2;
constexpr double kLeastSure =
    0.05;  // of a decay, standard deviation: late pulses are not told so well

/// A decaying turn: exp(rate t), rate = -1 / tau + j 2 pi f.
struct Pole {
  Complex rate;
  Complex amplitude;  ///< at the arrival, through the bell
  [[nodiscard]] double frequency_hz() const { return rate.imag() / (2.0 * kPi); }
  [[nodiscard]] double tau_s() const { return -1.0 / rate.real(); }
};

/// What the response goes through: wide bells blur less in time, where there are few periods.
struct Bell {
  double width;   ///< standard deviation, of the frequency
  double step;    ///< of time, periods
  double start;   ///< periods: it is 60 dB down there
  double later;   ///< between the three starts
  double margin;  ///< from the end of the data, where they stop at once
};
constexpr Bell kUsual = {0.2, 0.6, 3.0, 0.75, 3.0};
constexpr Bell kFewPeriods = {0.35, 0.35, 1.72, 0.4, 1.3};
constexpr double kFew = 25.0;  // periods

/// One place's bell and what comes through it, in even steps of time after a start.
struct SubBand {
  Bell bell = kUsual;
  double centre_hz = 0.0;
  double step_s = 0.0;
  double start_s = 0.0;
  Vector values;
};

/// The spectrum that all places share.
struct Whole {
  Spectrum bins;  ///< the arrival at t = 0
  double step_hz = 0.0;
  double length_s = 0.0;
};

Whole whole_of(const ImpulseResponse& h, const DecaySpan& span) {
  const double rate = h.sample_rate_hz;
  const double arrival = span.arrival_s * rate + h.zero_at;
  const double held = static_cast<double>(h.samples.size());
  const double first = std::clamp(std::floor(arrival - 2e-3 * rate), 0.0, held);
  const double last = std::clamp(std::floor(arrival + span.length_s * rate), first, held);
  Whole w;
  w.length_s = (last - arrival) / rate;
  if (last - first < 32.0) return w;
  const std::span data(h.samples.data() + static_cast<std::ptrdiff_t>(first),
                       static_cast<std::size_t>(last - first));
  const std::size_t n = fast_length(2 * data.size());
  w.bins = real_spectrum(data, n);
  w.step_hz = rate / static_cast<double>(n);
  const double lead = arrival - first;
  for (std::size_t k = 0; k < w.bins.size(); ++k)
    w.bins[k] *=
        std::polar(1.0, 2.0 * kPi * static_cast<double>(k) * lead / static_cast<double>(n));
  return w;
}

double bell_at(double f, const Bell& bell, double centre_hz) {
  const double x = (f - centre_hz) / (bell.width * centre_hz);
  return std::exp(-0.5 * x * x);
}

/// The bell at a pole: a decaying turn comes out of it with this factor.
Complex bell_at(const Complex& rate, const Bell& bell, double centre_hz) {
  const Complex f = rate / Complex(0.0, 2.0 * kPi);
  const Complex x = (f - centre_hz) / (bell.width * centre_hz);
  return std::exp(-0.5 * x * x);
}

/// @param start  0, 1, 2: the first, or a later one.
SubBand sub_band(const Whole& w, double centre_hz, int start) {
  const Bell& bell = w.length_s * centre_hz < kFew ? kFewPeriods : kUsual;
  SubBand s{.bell = bell,
            .centre_hz = centre_hz,
            .step_s = bell.step / centre_hz,
            .start_s = (bell.start + start * bell.later) / centre_hz,
            .values = {}};
  const double end_s =
      std::min(w.length_s - bell.margin / centre_hz, s.start_s + kLongest / centre_hz);
  const auto count = static_cast<Eigen::Index>((end_s - s.start_s) / s.step_s) + 1;
  if (end_s <= s.start_s || count < 8) return s;
  s.values = Vector::Zero(count);
  const auto first = static_cast<std::size_t>(
      std::max(1.0, std::ceil(centre_hz * (1.0 - kReach * bell.width) / w.step_hz)));
  const auto last =
      std::min(static_cast<std::size_t>(centre_hz * (1.0 + kReach * bell.width) / w.step_hz),
               w.bins.size() - 1);
  for (std::size_t k = first; k <= last; ++k) {
    const double f = static_cast<double>(k) * w.step_hz;
    Complex now = w.bins[k] * bell_at(f, bell, centre_hz) * w.step_hz *
                  std::polar(1.0, 2.0 * kPi * (f - centre_hz) * s.start_s);
    const Complex turn = std::polar(1.0, 2.0 * kPi * (f - centre_hz) * s.step_s);
    for (Eigen::Index m = 0; m < count; ++m) {
      s.values[m] += now;
      now *= turn;
    }
  }
  return s;
}

/// Amplitudes at the arrival of given poles, and what they leave.
double fit_amplitudes(const SubBand& s, std::vector<Pole>& poles) {
  const auto count = s.values.size();
  const auto n = static_cast<Eigen::Index>(poles.size());
  Matrix basis(count, n);
  for (Eigen::Index p = 0; p < n; ++p) {
    const Complex rate =
        poles[static_cast<std::size_t>(p)].rate - Complex(0.0, 2.0 * kPi * s.centre_hz);
    for (Eigen::Index m = 0; m < count; ++m)
      basis(m, p) = std::exp(rate * (s.start_s + s.step_s * static_cast<double>(m)));
  }
  const Vector a = basis.colPivHouseholderQr().solve(s.values);
  for (Eigen::Index p = 0; p < n; ++p) poles[static_cast<std::size_t>(p)].amplitude = a[p];
  return (basis * a - s.values).squaredNorm();
}

/// The directions that a place's values go, the strongest first.
Matrix directions_of(const SubBand& s) {
  const auto count = s.values.size();
  const Eigen::Index width = count / 3;
  Matrix hankel(count - width, width + 1);
  for (Eigen::Index r = 0; r < hankel.rows(); ++r)
    for (Eigen::Index c = 0; c <= width; ++c) hankel(r, c) = s.values[r + c];
  const Eigen::SelfAdjointEigenSolver<Matrix> solver(hankel.adjoint() * hankel);
  return solver.eigenvectors().rowwise().reverse();
}

/// So many poles out of them.
std::vector<Pole> pencil(const SubBand& s, const Matrix& directions, Eigen::Index order) {
  const Eigen::Index width = directions.rows() - 1;
  if (order > width) return {};
  const Matrix v = directions.leftCols(order);
  const Matrix turn = (v.topRows(width).adjoint() * v.topRows(width))
                          .ldlt()
                          .solve(v.topRows(width).adjoint() * v.bottomRows(width));
  const Eigen::ComplexEigenSolver<Matrix> solver(turn, false);
  if (solver.info() != Eigen::Success) return {};
  std::vector<Pole> poles;
  for (const Complex& each : solver.eigenvalues()) {
    const Complex z = std::conj(each);
    if (!(std::abs(z) > 1e-3) || std::abs(z) > 1.0) continue;
    poles.push_back({std::log(z) / s.step_s + Complex(0.0, 2.0 * kPi * s.centre_hz), 0.0});
  }
  return poles;
}

/// One ridge of one place, with what its fit leaves.
struct Found {
  Pole pole;
  double frequency_spread = 0.0;  ///< relative standard deviations
  double tau_spread = 0.0;
  double off_centre = 0.0;  ///< octaves
  double over_rest = 0.0;   ///< energy over what the fit leaves
};
struct Fit {
  std::vector<Found> found;
  double left = 0.0;  ///< energy
  [[nodiscard]] std::vector<Pole> poles() const {
    std::vector<Pole> all;
    for (const Found& f : found) all.push_back(f.pole);
    return all;
  }
};

/// The model's columns: of each pole its turn, and how that changes with its rate.
Matrix columns_of(const SubBand& s, const std::vector<Pole>& poles) {
  const auto count = s.values.size();
  Matrix j(count, 2 * static_cast<Eigen::Index>(poles.size()));
  for (Eigen::Index p = 0; p < j.cols() / 2; ++p) {
    const Pole& pole = poles[static_cast<std::size_t>(p)];
    const Complex rate = pole.rate - Complex(0.0, 2.0 * kPi * s.centre_hz);
    Complex e = std::exp(rate * s.start_s);
    const Complex turn = std::exp(rate * s.step_s);
    for (Eigen::Index m = 0; m < count; ++m, e *= turn) {
      j(m, 2 * p) = e;
      j(m, 2 * p + 1) = pole.amplitude * (s.start_s + s.step_s * static_cast<double>(m)) * e;
    }
  }
  return j;
}

/// Energy of one pole over what is left, while the pole falls by 12 dB: the least of the parts of
/// that time. A late pulse is not a turn that decays evenly; and where many turns put one together,
/// they cancel between the pulses: then it is nothing.
double over_rest(const SubBand& s, const Pole& pole, const Vector& turn, const Vector& rest) {
  constexpr Eigen::Index kShortest = 4;
  constexpr double kLeastOfOwn = 0.12;
  const double until_s = 0.6 * std::numbers::ln10 * std::max(pole.tau_s(), 0.0);
  const Eigen::Index whole =
      std::clamp(static_cast<Eigen::Index>(until_s / s.step_s), kShortest, s.values.size());
  const Eigen::Index parts = std::clamp(whole / kShortest, Eigen::Index{1}, Eigen::Index{6});
  const Eigen::Index part = whole / parts;
  double least = 1e300;
  for (Eigen::Index k = 0; k < parts; ++k) {
    const double own = (pole.amplitude * turn.segment(k * part, part)).squaredNorm();
    if (s.values.segment(k * part, part).squaredNorm() < kLeastOfOwn * own) return 0.0;
    least = std::min(least, own / std::max(rest.segment(k * part, part).squaredNorm(), 1e-300));
  }
  return least;
}

/// Least squares over all poles and amplitudes of a place at once.
/// @return nothing where it comes to no rest.
std::optional<Fit> refined(const SubBand& s, std::vector<Pole> poles, int rounds) {
  const auto count = s.values.size();
  const auto n = static_cast<Eigen::Index>(poles.size());
  if (n == 0 || count <= 2 * n + 2) return std::nullopt;
  double left = fit_amplitudes(s, poles);
  for (int round = 0; round < rounds; ++round) {
    const Matrix j = columns_of(s, poles);
    Vector off = s.values;
    for (Eigen::Index p = 0; p < n; ++p)
      off -= poles[static_cast<std::size_t>(p)].amplitude * j.col(2 * p);
    const Vector step = j.colPivHouseholderQr().solve(off);
    std::vector<Pole> next = poles;
    double moved = 0.0;
    for (Eigen::Index p = 0; p < n; ++p) {
      auto& pole = next[static_cast<std::size_t>(p)];
      pole.rate += step[2 * p + 1];
      moved = std::max(moved, std::abs(step[2 * p + 1]) / std::abs(pole.rate));
      if (!std::isfinite(std::abs(pole.rate)) || pole.rate.real() > 0.5 / s.step_s)
        return std::nullopt;
    }
    const double now = fit_amplitudes(s, next);
    if (!(now <= left * (1.0 + 1e-9))) break;
    poles = std::move(next);
    left = now;
    if (moved < 1e-7) break;
  }
  const Matrix j = columns_of(s, poles);
  Vector rest = s.values;
  for (Eigen::Index p = 0; p < n; ++p)
    rest -= poles[static_cast<std::size_t>(p)].amplitude * j.col(2 * p);
  // White noise comes through the bell strongest in its middle: there its density is that many
  // times the mean over all that the steps tell apart.
  const double colour = 1.0 / (s.bell.step * s.bell.width * std::sqrt(kPi));
  // The number of poles was looked for too, which no formula counts: of 150 planted ridges the
  // interval held 89 % without it.
  constexpr double kSearched = 1.25 * 1.25;
  const double variance = kSearched * colour * left / static_cast<double>(count - 2 * n);
  const Eigen::VectorXd scale = j.colwise().norm().transpose().cwiseMax(1e-300);
  const Matrix scaled = j * scale.cwiseInverse().asDiagonal();
  const Matrix covariance =
      Matrix(scaled.adjoint() * scaled).ldlt().solve(Matrix::Identity(2 * n, 2 * n));
  Fit fit{.found = {}, .left = left};
  for (Eigen::Index p = 0; p < n; ++p) {
    Found f{.pole = poles[static_cast<std::size_t>(p)]};
    const double weight = std::min(bell_at(f.pole.frequency_hz(), s.bell, s.centre_hz), 1.0);
    // Of a complex parameter each part has half of the variance.
    const double spread =
        weight *
        std::sqrt(std::max(0.5 * variance * covariance(2 * p + 1, 2 * p + 1).real(), 0.0)) /
        scale[2 * p + 1];
    f.frequency_spread = spread / std::abs(f.pole.rate.imag());
    f.tau_spread = spread / std::abs(f.pole.rate.real());
    f.off_centre = std::abs(std::log2(std::max(f.pole.frequency_hz(), 1.0) / s.centre_hz));
    f.over_rest = over_rest(s, f.pole, j.col(2 * p), rest);
    fit.found.push_back(f);
  }
  return fit;
}

/// As many poles as the values ask for: one more must take away more than noise would give it
/// (G. Schwarz, Ann. Statist. 6 (1978) 461).
std::optional<Fit> fit_of(const SubBand& s) {
  const Matrix directions = directions_of(s);
  const auto count = static_cast<double>(s.values.size());
  // Through the bell only so many of the values are independent.
  const double independent = 3.0 * count * s.bell.step * s.bell.width * std::sqrt(kPi);
  std::optional<Fit> best;
  double least = independent * std::log(std::max(s.values.squaredNorm(), 1e-300));
  const double unheard = 1e-9 * s.values.squaredNorm();
  for (Eigen::Index order = 1; order <= static_cast<Eigen::Index>(kMostPoles); ++order) {
    auto fit = refined(s, pencil(s, directions, order), 6);
    if (!fit) continue;
    const double price = independent * std::log(std::max(fit->left, unheard)) +
                         4.0 * static_cast<double>(order) * std::log(independent);
    if (price < least) {
      least = price;
      best = std::move(fit);
    }
    if (best && best->left < unheard) break;
  }
  return best;
}

bool alike(const Pole& a, const Pole& b) {
  return std::abs(a.frequency_hz() / b.frequency_hz() - 1.0) < kSame &&
         std::abs(a.tau_s() / b.tau_s() - 1.0) < kSameDecay;
}

/// Power of the response around a frequency, mean over half an octave to each side.
double power_around(const Whole& w, double f) {
  const auto first = static_cast<std::size_t>(std::max(1.0, f / std::sqrt(2.0) / w.step_hz));
  const auto last =
      std::min(static_cast<std::size_t>(f * std::sqrt(2.0) / w.step_hz), w.bins.size() - 1);
  double sum = 0.0;
  for (std::size_t k = first; k <= last; ++k) sum += std::norm(w.bins[k]);
  return last >= first ? sum / static_cast<double>(last - first + 1) : 0.0;
}

bool worth_telling(const Found& f, const Whole& w, const RidgeWish& wish) {
  const double hz = f.pole.frequency_hz();
  const double tau = f.pole.tau_s();
  const double decay_s = std::numbers::ln10 * tau;
  return hz >= wish.low_hz && hz <= wish.high_hz && tau > 0.0 && kPi * hz * tau >= wish.least_q &&
         decay_s < 3.0 * w.length_s && f.over_rest > 6.0 && f.tau_spread < kLeastSure &&
         f.frequency_spread < kSame;
}

/// Those that have not long died away by a later start, and do not grow.
std::vector<Pole> still_there(const Fit& fit, const SubBand& first, double start_s) {
  constexpr double kLeast = 1e-3;
  double strongest = 0.0;
  const auto then = [&](const Found& f) {
    return std::abs(f.pole.amplitude) * std::exp(f.pole.rate.real() * start_s);
  };
  for (const Found& f : fit.found) strongest = std::max(strongest, then(f));
  std::vector<Pole> poles;
  for (const Found& f : fit.found)
    if (f.pole.tau_s() > first.step_s && then(f) > kLeast * strongest) poles.push_back(f.pole);
  return poles;
}

std::vector<Found> found_at(const Whole& w, double centre_hz, const RidgeWish& wish) {
  const SubBand first = sub_band(w, centre_hz, 0);
  if (first.values.size() < 9) return {};
  const auto fit = fit_of(first);
  if (!fit) return {};
  std::vector<Found> stable;
  std::vector<Fit> later;
  for (const Found& one : fit->found) {
    if (one.off_centre > 1.0 / kPlaces || !worth_telling(one, w, wish)) continue;
    if (later.empty())
      for (const int start : {1, 2}) {
        const SubBand s = sub_band(w, centre_hz, start);
        auto again = refined(s, still_there(*fit, first, s.start_s), 6);
        later.push_back(again ? *std::move(again) : Fit{});
      }
    Found f = one;
    bool stands = true;
    for (const Fit& other : later) {
      const auto same = std::find_if(other.found.begin(), other.found.end(),
                                     [&](const Found& o) { return alike(f.pole, o.pole); });
      stands = stands && same != other.found.end();
      if (!stands) break;
      f.tau_spread =
          std::max(f.tau_spread, 0.5 * std::abs(same->pole.tau_s() / one.pole.tau_s() - 1.0));
      f.frequency_spread =
          std::max(f.frequency_spread,
                   0.5 * std::abs(same->pole.frequency_hz() / one.pole.frequency_hz() - 1.0));
    }
    if (stands && f.tau_spread < kLeastSure) stable.push_back(f);
  }
  return stable;
}

}  // namespace

double Ridge::q() const {
  return kPi * frequency_hz.value * decay_s.value / std::numbers::ln10;
}

std::vector<Ridge> decay_ridges(const ImpulseResponse& impulse, const DecaySpan& span,
                                const RidgeWish& wish) {
  std::vector<Ridge> ridges;
  const Whole w = whole_of(impulse, span);
  if (w.bins.empty()) return ridges;
  const double rate = impulse.sample_rate_hz;
  // Beyond, the converter's own filter rings.
  const double high = std::min({wish.high_hz, 0.8 * std::min(impulse.excited.high_hz, 0.5 * rate)});
  const double low = std::max({wish.low_hz, 1.5 * impulse.excited.low_hz, 8.0 / w.length_s});
  std::vector<Found> all;
  for (double f = low; f < high; f *= std::exp2(1.0 / kPlaces))
    for (Found& one : found_at(w, f, wish)) {
      const auto same = std::find_if(all.begin(), all.end(), [&](const Found& other) {
        return std::abs(one.pole.frequency_hz() / other.pole.frequency_hz() - 1.0) < kSame;
      });
      // The amplitude without the bell.
      one.pole.amplitude /= bell_at(one.pole.rate, w.length_s * f < kFew ? kFewPeriods : kUsual, f);
      if (same == all.end())
        all.push_back(one);
      else if (one.off_centre < same->off_centre)
        *same = one;
    }
  for (const Found& f : all) {
    const double tau = f.pole.tau_s();
    // A e^(-t/tau) cos: a steady tone at its frequency is A tau / 2. The sub-band's turns carry
    // rate A / 2.
    const double steady = std::abs(f.pole.amplitude) * tau;
    const double around = power_around(w, f.pole.frequency_hz());
    const double share_db = 10.0 * std::log10(steady * steady / std::max(around, 1e-300));
    // The peak of a resonance stands Q / 2.2 over the mean of its octave, if all of that is its
    // own.
    const double most_db = 10.0 * std::log10(kPi * f.pole.frequency_hz() * tau / 2.2) + 3.0;
    if (share_db < wish.least_share_db || share_db > most_db) continue;
    const double decay = std::numbers::ln10 * tau;
    ridges.push_back(
        {.frequency_hz = from_relative(f.pole.frequency_hz(), kTwoSided95 * f.frequency_spread),
         .decay_s = from_relative(decay, kTwoSided95 * f.tau_spread),
         .level_db = 20.0 * std::log10(std::max(steady, 1e-20)),
         .share_db = share_db});
  }
  std::sort(ridges.begin(), ridges.end(), [](const Ridge& a, const Ridge& b) {
    return a.frequency_hz.value < b.frequency_hz.value;
  });
  return ridges;
}

}  // namespace lalometer
