#include "acoustics/decay/ridges.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "acoustics/decay/pole_fit.h"
#include "acoustics/signal/fft.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

constexpr double kPlaces = 6.0;    // an octave
constexpr double kReach = 4.0;     // of the bell's deviations
constexpr double kLongest = 60.0;  // periods that are looked at
constexpr double kSame = 0.02;     // of a frequency
constexpr double kSameDecay = 0.2;
constexpr double kLeastSure =
    0.05;  // of a decay, standard deviation: late pulses are not told so well

constexpr Bell kUsual = {0.2, 0.6, 3.0, 0.75, 3.0};
constexpr Bell kFewPeriods = {0.35, 0.35, 1.72, 0.4, 1.3};
constexpr double kFew = 25.0;  // periods

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
  s.values = Eigen::VectorXcd::Zero(count);
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

bool worth_telling(const FoundPole& f, const Whole& w, const RidgeWish& wish) {
  const double hz = f.pole.frequency_hz();
  const double tau = f.pole.tau_s();
  const double decay_s = std::numbers::ln10 * tau;
  return hz >= wish.low_hz && hz <= wish.high_hz && tau > 0.0 && kPi * hz * tau >= wish.least_q &&
         decay_s < 3.0 * w.length_s && f.over_rest > 6.0 && f.tau_spread < kLeastSure &&
         f.frequency_spread < kSame;
}

/// Those that have not long died away by a later start, and do not grow.
std::vector<Pole> still_there(const PoleFit& fit, const SubBand& first, double start_s) {
  constexpr double kLeast = 1e-3;
  double strongest = 0.0;
  const auto then = [&](const FoundPole& f) {
    return std::abs(f.pole.amplitude) * std::exp(f.pole.rate.real() * start_s);
  };
  for (const FoundPole& f : fit.found) strongest = std::max(strongest, then(f));
  std::vector<Pole> poles;
  for (const FoundPole& f : fit.found)
    if (f.pole.tau_s() > first.step_s && then(f) > kLeast * strongest) poles.push_back(f.pole);
  return poles;
}

std::vector<FoundPole> found_at(const Whole& w, double centre_hz, const RidgeWish& wish) {
  const SubBand first = sub_band(w, centre_hz, 0);
  if (first.values.size() < 9) return {};
  const auto fit = fitted_poles(first);
  if (!fit) return {};
  std::vector<FoundPole> stable;
  std::vector<PoleFit> later;
  for (const FoundPole& one : fit->found) {
    if (one.off_centre > 1.0 / kPlaces || !worth_telling(one, w, wish)) continue;
    if (later.empty())
      for (const int start : {1, 2}) {
        const SubBand s = sub_band(w, centre_hz, start);
        auto again = refined_poles(s, still_there(*fit, first, s.start_s), 6);
        later.push_back(again ? *std::move(again) : PoleFit{});
      }
    FoundPole f = one;
    bool stands = true;
    for (const PoleFit& other : later) {
      const auto same = std::find_if(other.found.begin(), other.found.end(),
                                     [&](const FoundPole& o) { return alike(f.pole, o.pole); });
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
  std::vector<FoundPole> all;
  for (double f = low; f < high; f *= std::exp2(1.0 / kPlaces))
    for (FoundPole& one : found_at(w, f, wish)) {
      const auto same = std::find_if(all.begin(), all.end(), [&](const FoundPole& other) {
        return std::abs(one.pole.frequency_hz() / other.pole.frequency_hz() - 1.0) < kSame;
      });
      // The amplitude without the bell.
      one.pole.amplitude /= bell_at(one.pole.rate, w.length_s * f < kFew ? kFewPeriods : kUsual, f);
      if (same == all.end())
        all.push_back(one);
      else if (one.off_centre < same->off_centre)
        *same = one;
    }
  for (const FoundPole& f : all) {
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
