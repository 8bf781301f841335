#pragma once

#include <vector>

#include "base/result.h"

namespace lalometer {

/// An exponential sine sweep. Invariants, checked in make(): 0 < start < stop <= sample_rate / 2,
/// duration > 0 and at least 16 samples, all finite.
class SweepSpec {
 public:
  struct Values {
    double start_hz;
    double stop_hz;
    double duration_s;
    double sample_rate_hz;
  };
  [[nodiscard]] static Result<SweepSpec> make(const Values& values);
  /// The nearest longer duration for which start * L is a whole number, L = T / ln(stop/start): the
  /// sweep then starts anew in phase at every harmonic, so that harmonics come out with right
  /// phase. Source: A. Novak, P. Lotton, L. Simon, J. Audio Eng. Soc. 63 (2015), eq. (24).
  [[nodiscard]] static Result<SweepSpec> make_synchronised(const Values& values);

  [[nodiscard]] double start_hz() const { return values_.start_hz; }
  [[nodiscard]] double stop_hz() const { return values_.stop_hz; }
  [[nodiscard]] double duration_s() const { return values_.duration_s; }
  [[nodiscard]] double sample_rate_hz() const { return values_.sample_rate_hz; }
  /// L = T / ln(stop/start), s: the time in which the frequency rises by e.
  [[nodiscard]] double rate_s() const;
  [[nodiscard]] std::size_t sample_count() const;

 private:
  explicit SweepSpec(const Values& values) : values_(values) {}
  Values values_;
};

/// x(t) = sin(K (exp(t/L) - 1)), K = 2 pi f1 L. Frequency runs from start at t = 0 to stop at t =
/// T. No fade. Returns sample_count() samples at t = n / sample_rate, |x| <= 1, x[0] = 0. Source:
/// A. Farina, 108th AES Convention (2000), preprint 5093.
[[nodiscard]] std::vector<double> exponential_sweep(const SweepSpec& spec);

/// The same as another clock samples it: spec's rate in samples per second of the player, the sweep
/// starting `offset` samples after the first one (0 <= offset < 1). Exact, not interpolated.
[[nodiscard]] std::vector<double> exponential_sweep(const SweepSpec& spec, double offset_samples);

/// Half-Hann fades at both ends of a signal, each at most half its length; 0 leaves an end as it
/// is.
void apply_fades(std::vector<double>& signal, std::size_t fade_in_count,
                 std::size_t fade_out_count);

/// The sweep as it is played: faded over the first half octave (at most a tenth of the length) and
/// over the last 2 ms, so that neither end clicks.
[[nodiscard]] std::vector<double> faded_sweep(const SweepSpec& spec);

/// Instantaneous frequency at time t, f1 exp(t/L), Hz.
[[nodiscard]] double sweep_frequency_hz(const SweepSpec& spec, double time_s);
/// Time at which the sweep passes a frequency, L ln(f/f1), s.
[[nodiscard]] double sweep_time_s(const SweepSpec& spec, double frequency_hz);

/// How long before the linear response the Nth harmonic's response lies after deconvolution:
/// T ln N / ln(f2/f1), s. Source: Farina 2000, eq. (14).
[[nodiscard]] double harmonic_lead_s(const SweepSpec& spec, int harmonic);

/// Inverse filter: time-reversed sweep with its level falling 6 dB per octave toward the start,
/// scaled so that sweep * inverse is a band-limited pulse with gain 1 in the middle of the band, at
/// sample_count() - 1. Source: Farina 2000, section 3. For measuring, deconvolve() with the exact
/// spectrum is preferred.
[[nodiscard]] std::vector<double> inverse_sweep(const SweepSpec& spec);

}  // namespace lalometer
