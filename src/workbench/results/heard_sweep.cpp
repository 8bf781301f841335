#include "workbench/results/heard_sweep.h"

#include <algorithm>
#include <cmath>

#include "acoustics/signal/clocks/reference_chirps.h"
#include "acoustics/signal/clocks/sweep_search.h"
#include "acoustics/signal/deconvolve.h"
#include "acoustics/signal/fft.h"
#include "acoustics/signal/recording/recording_checks.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

/// A latency and a flight that a told lead-in may be followed by.
constexpr double kLongestLatency_s = 1.0;
constexpr double kEarly_s = 0.005;
constexpr double kLongestTail_s = 4.0;
constexpr double kMargin_s = 0.05;

/// Where half of a slow clock's rate lies below the sweep's end, the sweep up to there: its time
/// for an octave stays, so it is the same as far as it goes.
SweepSpec by_clock(const SweepSpec& spec, double drift_ppm) {
  const double rate = spec.sample_rate_hz() * (1.0 + 1e-6 * drift_ppm);
  const double stop = std::min(spec.stop_hz(), 0.5 * rate);
  const double duration = stop < spec.stop_hz() ? sweep_time_s(spec, stop) : spec.duration_s();
  return *SweepSpec::make({spec.start_hz(), stop, duration, rate});
}

/// A signal so much earlier, 0 to 1 sample: what stands between samples is brought onto them.
std::vector<double> advanced(const std::vector<double>& x, double samples) {
  const std::size_t n = fast_length(x.size() + 1);
  Spectrum bins = real_spectrum(x, n);
  for (std::size_t k = 0; k < bins.size(); ++k)
    bins[k] *=
        std::polar(1.0, 2.0 * kPi * static_cast<double>(k) * samples / static_cast<double>(n));
  Samples out(n);
  RealTransform(n).inverse(bins, out);
  return {out.begin(), out.begin() + static_cast<std::ptrdiff_t>(x.size())};
}

std::string clocks_note(const ClockDrift& drift) {
  return fmt::format("The recorder's clock runs {:.1f} ± {:.1f} ppm off the player's: taken out.",
                     drift.ppm, drift.uncertainty_ppm);
}

/// What is asked for, and what the file holds.
class Hearing {
 public:
  Hearing(std::span<const double> signal, const SweepSpec& spec, const Conditions& c,
          double split_s)
      : signal_(signal),
        spec_(spec),
        c_(c),
        s_(c.stimulus),
        split_s_(split_s),
        lead_(s_.lead_in_s * spec.sample_rate_hz()) {}

  [[nodiscard]] bool may_hold_several() const {
    const double length_s = static_cast<double>(signal_.size()) / spec_.sample_rate_hz();
    return s_.repeats > 1 || c_.sweep > 0 || s_.chirps.count > 0 ||
           length_s > s_.lead_in_s + 2.0 * s_.duration_s;
  }

  /// The file as it was always read: one sweep after its lead-in, everything else is its room.
  HeardTake whole() const {
    HeardTake out = heard(spec_);
    const auto lead = static_cast<std::size_t>(std::llround(lead_));
    out.stretch.assign(signal_.begin(), signal_.end());
    out.reference.assign(out.stretch.size(), 0.0);
    out.lead = lead;
    const std::vector<double> sweep = exponential_sweep(spec_);
    for (std::size_t i = 0; i < sweep.size() && lead + i < out.reference.size(); ++i)
      out.reference[lead + i] = s_.amplitude * sweep[i];
    out.impulse = deconvolve(out.stretch, out.reference, spec_.sample_rate_hz(), band(), split_s_);
    return out;
  }

  void look() {
    for (const HeardSweep& one : find_sweeps(signal_, spec_)) starts_.push_back(one.at_sample);
  }
  [[nodiscard]] const std::vector<double>& starts() const { return starts_; }

  /// Whether what was found first follows the told lead-in as a latency does.
  [[nodiscard]] bool start_known() const {
    const double after_s = (starts_.front() - lead_) / spec_.sample_rate_hz();
    return after_s > -kEarly_s && after_s < kLongestLatency_s;
  }

  /// The mean of the repeats, up to where samples are missing.
  HeardTake mean_of_repeats() const {
    const auto drift = drift_of_repeats(signal_, spec_, starts_, s_.period_s);
    HeardTake out = heard(by_clock(spec_, drift ? drift->ppm : 0.0));
    out.drift = drift;
    out.start_known = start_known();
    const double period = s_.period_s * out.spec.sample_rate_hz();
    // The told silence is the player's too.
    double first = out.start_known ? s_.lead_in_s * out.spec.sample_rate_hz() : starts_.front();
    if (const auto chirps = chirps_around(0)) {
      out.by_chirps = true;
      out.start_known = c_.chirp_distance_m > 0.0;
      first = chirps->sweep_at - chirp_flight_s() * out.spec.sample_rate_hz();
    }
    const bool chirped = s_.chirps.count > 0;
    const double gap_s = chirped ? s_.chirps.gap_s : s_.period_s - s_.duration_s;
    const auto before = samples(std::min(0.5 * gap_s, s_.lead_in_s));
    const auto after = samples(chirped ? gap_s : std::min(gap_s - kMargin_s, kLongestTail_s));
    std::vector<std::vector<double>> aligned;
    for (std::size_t i = 0; i < starts_.size(); ++i) {
      if (drift && drift->slip_after && i > (drift->slip_placed ? *drift->slip_after : 0)) break;
      const double count = std::round((starts_[i] - starts_[0]) / period);
      if (std::abs(starts_[i] - starts_[0] - count * period) > 0.02 * period) continue;
      const double excited = first + count * period;
      SweepStretch one = stretch_around(signal_, out.spec, excited, before, after);
      // A sweep that begins between samples may be one longer.
      const std::size_t length = before + out.spec.sample_count() + after;
      one.signal.resize(length);
      one.reference.resize(length);
      ImpulseResponse h =
          deconvolve(one.signal, one.reference, out.spec.sample_rate_hz(), band(), split_s_);
      aligned.push_back(advanced(one.signal, excited - std::floor(excited)));
      if (aligned.size() == 1) {
        take(out, std::move(one), std::move(h));
      } else {
        for (std::size_t k = 0; k < h.samples.size(); ++k) out.impulse.samples[k] += h.samples[k];
      }
    }
    for (double& x : out.impulse.samples) x /= s_.amplitude * static_cast<double>(aligned.size());
    out.averaged = static_cast<int>(aligned.size());
    if (aligned.size() > 1) {
      const double latency = std::max(0.0, starts_.front() - first);
      out.spread =
          spread_of_repeats(aligned, out.spec, out.lead + static_cast<std::size_t>(latency));
    }
    note_repeats(out);
    return out;
  }

  /// One of several that are not alike. @param which  from 0.
  HeardTake one_of_several(std::size_t which) const {
    const SweepSpec spec = spec_;
    HeardTake out = heard(spec);
    const bool first_known = start_known() && which == 0;
    out.start_known = first_known;
    const double excited = first_known ? lead_ : starts_[which];
    const double from =
        which == 0 ? 0.0 : starts_[which - 1] + s_.duration_s * spec.sample_rate_hz();
    const double to =
        which + 1 < starts_.size() ? starts_[which + 1] : static_cast<double>(signal_.size());
    const double end = excited + s_.duration_s * spec.sample_rate_hz();
    const double gap_s = std::max(0.0, (excited - from) / spec.sample_rate_hz());
    const double tail_s = std::max(0.0, (to - end) / spec.sample_rate_hz());
    SweepStretch one = stretch_around(signal_, spec, excited,
                                      samples(std::min(0.5 * gap_s, std::max(s_.lead_in_s, 0.25))),
                                      samples(std::clamp(tail_s - kMargin_s, 0.0, kLongestTail_s)));
    ImpulseResponse h =
        deconvolve(one.signal, one.reference, spec.sample_rate_hz(), band(), split_s_);
    for (double& x : h.samples) x /= s_.amplitude;
    take(out, std::move(one), std::move(h));
    return out;
  }

  /// By the chirps around one of the sweeps; nothing where they are not heard.
  [[nodiscard]] std::optional<HeardTake> by_chirps(std::size_t which) const {
    const auto chirps = chirps_around(which);
    if (!chirps) return std::nullopt;
    HeardTake out = heard(by_clock(spec_, chirps->drift_ppm));
    const double rate = out.spec.sample_rate_hz();
    const double excited = chirps->sweep_at - chirp_flight_s() * rate;
    out.by_chirps = true;
    out.start_known = c_.chirp_distance_m > 0.0;
    out.drift = ClockDrift{.ppm = chirps->drift_ppm,
                           .uncertainty_ppm = chirps->uncertainty_ppm,
                           .basis = ClockDrift::Basis::kChirps};
    // Half of the silence to the chirps: what comes after it is theirs.
    SweepStretch one = stretch_around(signal_, out.spec, excited, samples(0.5 * s_.chirps.gap_s),
                                      samples(s_.chirps.gap_s));
    ImpulseResponse h = deconvolve(one.signal, one.reference, rate, band(), split_s_);
    for (double& x : h.samples) x /= s_.amplitude;
    take(out, std::move(one), std::move(h));
    if (std::abs(chirps->drift_ppm) > chirps->uncertainty_ppm)
      out.notes.push_back(clocks_note(*out.drift));
    if (chirps->missing) {
      out.drift->slip_samples = *chirps->missing;
      out.drift->slip_after = which;
      out.phase_open = true;
      out.notes.push_back(fmt::format(
          "{:.0f} samples are {} in the sweep, by the chirps before and after it: no phase is "
          "told. Take it again.",
          std::abs(*chirps->missing), *chirps->missing > 0.0 ? "missing" : "doubled"));
    }
    return out;
  }

  /// Of two sweeps the distance alone tells no slip. What the first one tells by itself may: then
  /// their distance says nothing.
  [[nodiscard]] bool two_disagree(const HeardTake& mean) const {
    if (starts_.size() != 2 || !mean.drift) return false;
    const auto own = drift_of_one(signal_, spec_, starts_.front());
    return own && std::abs(own->ppm - mean.drift->ppm) >
                      own->uncertainty_ppm + mean.drift->uncertainty_ppm;
  }

  /// A drift that one sweep shows is taken out of it.
  void mend_by_itself(HeardTake& out) const {
    const auto louder = [](double a, double b) { return std::abs(a) < std::abs(b); };
    const auto& h = out.impulse;
    const auto top = std::max_element(h.samples.begin(), h.samples.end(), louder);
    const double start =
        static_cast<double>(out.lead) + static_cast<double>(top - h.samples.begin()) - h.zero_at;
    out.drift = drift_of_one(out.stretch, spec_, start);
    if (!out.drift || std::abs(out.drift->ppm) <= out.drift->uncertainty_ppm) return;
    out.spec = by_clock(spec_, out.drift->ppm);
    const std::vector<double> sweep = exponential_sweep(out.spec);
    std::fill(out.reference.begin(), out.reference.end(), 0.0);
    for (std::size_t i = 0; i < sweep.size() && out.lead + i < out.reference.size(); ++i)
      out.reference[out.lead + i] = s_.amplitude * sweep[i];
    out.impulse =
        deconvolve(out.stretch, out.reference, out.spec.sample_rate_hz(), band(), split_s_);
    out.phase_open = true;
    out.notes.push_back(fmt::format(
        "The recorder's clock runs {:.0f} ± {:.0f} ppm off the player's by this one sweep: taken "
        "out, but no phase is told. Repeats in one recording would tell it exactly.",
        out.drift->ppm, out.drift->uncertainty_ppm));
  }

 private:
  static HeardTake heard(const SweepSpec& spec) {
    return {.impulse = {}, .spec = spec, .stretch = {}, .reference = {}};
  }
  void take(HeardTake& out, SweepStretch&& one, ImpulseResponse&& h) const {
    out.impulse = std::move(h);
    out.stretch = std::move(one.signal);
    out.reference = std::move(one.reference);
    for (double& x : out.reference) x *= s_.amplitude;
    out.lead = one.lead;
  }
  void note_repeats(HeardTake& out) const {
    const auto& drift = out.drift;
    if (!drift) {
      out.notes.emplace_back("The sweeps do not lie a told period apart: check it.");
      return;
    }
    if (std::abs(drift->ppm) > drift->uncertainty_ppm) out.notes.push_back(clocks_note(*drift));
    if (drift->slip_after && drift->slip_placed)
      out.notes.push_back(fmt::format(
          "{:.0f} samples are {} between sweeps {} and {}: only those before are in the mean.",
          std::abs(drift->slip_samples), drift->slip_samples > 0.0 ? "missing" : "doubled",
          *drift->slip_after + 1, *drift->slip_after + 2));
    if (drift->slip_after && !drift->slip_placed)
      out.notes.push_back(fmt::format(
          "{:.0f} samples are missing or doubled between sweeps 1 and 2 or 2 and 3; three do not "
          "tell where. The first alone is told.",
          std::abs(drift->slip_samples)));
    if (static_cast<int>(starts_.size()) < s_.repeats)
      out.notes.push_back(
          fmt::format("The recording holds {} of {} sweeps.", starts_.size(), s_.repeats));
  }
  [[nodiscard]] std::optional<HeardChirps> chirps_around(std::size_t which) const {
    if (s_.chirps.count == 0) return std::nullopt;
    return hear_chirps(signal_, spec_.sample_rate_hz(), s_.chirps, s_.duration_s, starts_[which]);
  }
  /// From what played the chirps to the microphone; 0 where it is not told.
  [[nodiscard]] double chirp_flight_s() const {
    return c_.chirp_distance_m / speed_of_sound_m_s(c_.temperature_c);
  }
  [[nodiscard]] Band_hz band() const { return {s_.start_hz, s_.stop_hz}; }
  [[nodiscard]] std::size_t samples(double time_s) const {
    return static_cast<std::size_t>(std::max(0.0, time_s) * spec_.sample_rate_hz());
  }

  std::span<const double> signal_;
  SweepSpec spec_;
  const Conditions& c_;
  const Stimulus& s_;
  double split_s_;
  double lead_;  ///< samples
  std::vector<double> starts_;
};

std::string first_of(std::size_t found) {
  return fmt::format("The recording holds {} sweeps; this is the first.", found);
}

}  // namespace

Result<HeardTake> heard_take(std::span<const double> signal, double rate, const Conditions& c,
                             double split_s, const std::string& file, std::stop_token stop) {
  const Stimulus& s = c.stimulus;
  const auto spec = SweepSpec::make({s.start_hz, s.stop_hz, s.duration_s, rate});
  if (!spec) return tl::unexpected(spec.error());
  Hearing hearing(signal, *spec, c, split_s);
  if (!hearing.may_hold_several()) {
    HeardTake out = hearing.whole();
    if (stop.stop_requested()) return cancelled();
    hearing.mend_by_itself(out);
    return out;
  }
  hearing.look();
  if (stop.stop_requested()) return cancelled();
  const std::size_t found = hearing.starts().size();
  if (c.sweep > 0 && static_cast<std::size_t>(c.sweep) > found)
    return bad_input(fmt::format("The recording holds {} such {}; number {} was asked for.", found,
                                 found == 1 ? "sweep" : "sweeps", c.sweep),
                     file);
  if (found == 0) {
    HeardTake out = hearing.whole();
    out.found = 0;
    return out;
  }
  const std::size_t which = c.sweep > 0 ? static_cast<std::size_t>(c.sweep) - 1 : 0;
  const bool repeated = found > 1 && c.sweep == 0 && s.repeats > 1 && s.period_s > 0.0;
  if (s.chirps.count > 0 && !repeated) {
    if (auto out = hearing.by_chirps(which)) {
      out->found = static_cast<int>(found);
      if (found > 1 && c.sweep == 0) out->notes.push_back(first_of(found));
      return *std::move(out);
    }
    // Fall back on what the sweep tells alone.
  }
  if (repeated) {
    HeardTake out = hearing.mean_of_repeats();
    if (hearing.two_disagree(out)) {
      out = hearing.one_of_several(0);
      hearing.mend_by_itself(out);
      out.notes.emplace_back(
          "The distance of the two sweeps is not what one of them tells: samples are missing or "
          "doubled between them, or the period is not the told one. The first alone is told.");
    }
    out.found = static_cast<int>(found);
    return out;
  }
  HeardTake out =
      found == 1 && hearing.start_known() ? hearing.whole() : hearing.one_of_several(which);
  if (s.chirps.count > 0)
    out.notes.emplace_back(
        "The reference chirps are not heard before and after the sweep: time and drift come from "
        "the sweep alone.");
  out.found = static_cast<int>(found);
  if (found > 1 && c.sweep == 0) out.notes.push_back(first_of(found));
  if (found == 1 && s.repeats > 1)
    out.notes.push_back(fmt::format("The recording holds 1 of {} sweeps.", s.repeats));
  if (stop.stop_requested()) return cancelled();
  hearing.mend_by_itself(out);
  return out;
}

/// Without a loopback a recording has a latency: its sweep begins as much later as its pulse comes.
SweepHeard sweep_in(const HeardTake& heard) {
  // The mean level of everything: a pulse stands out of it (find_arrival's own rule).
  constexpr double kStandsOut = 4.0;
  const ImpulseResponse& h = heard.impulse;
  const auto louder = [](double a, double b) { return std::abs(a) < std::abs(b); };
  const auto peak = std::max_element(h.samples.begin(), h.samples.end(), louder);
  if (peak == h.samples.end() || std::abs(*peak) < kStandsOut * rms_of(h.samples)) return {};
  const double late = h.time_s(static_cast<std::size_t>(peak - h.samples.begin()));
  const auto start = static_cast<std::size_t>(
      std::max(0.0, static_cast<double>(heard.lead) + late * heard.spec.sample_rate_hz()));
  return {true, find_sweep_break(heard.stretch, heard.spec, start, h)};
}

}  // namespace lalometer
