#include "workbench/results/impulse_stage.h"

#include <algorithm>
#include <cmath>

#include "acoustics/signal/checks/arrival.h"
#include "acoustics/signal/checks/noise_floor.h"
#include "acoustics/signal/clocks/sweep_search.h"
#include "acoustics/signal/deconvolve.h"
#include "acoustics/signal/recording/continuity.h"
#include "acoustics/signal/recording/recording_checks.h"
#include "acoustics/signal/recording/sweep_track.h"
#include "acoustics/signal/sweep.h"
#include "base/constants.h"
#include "base/text.h"
#include "exchange/audio_file.h"
#include "workbench/results/corrections.h"
#include "workbench/results/heard_sweep.h"

namespace lalometer {
namespace {

/// How many harmonics of a sweep are kept before its arrival, and a little more.
constexpr double kHarmonics = 10.0;
constexpr double kBeforeHarmonics_s = 0.04;

/// By how much the harmonic n of an exponential sweep is ahead of its arrival: T ln(n) / ln(f2/f1)
/// (Farina 2000); 0 where the stimulus is no sweep.
double harmonic_lead_s(const Stimulus& s, double n) {
  if (!(s.duration_s > 0.0 && s.stop_hz > s.start_hz && s.start_hz > 0.0)) return 0.0;
  return s.duration_s * std::log(n) / std::log(s.stop_hz / s.start_hz);
}

/// What is to be told apart from late time: all harmonics that are kept.
double split_s(const Stimulus& s) {
  return harmonic_lead_s(s, kHarmonics) + kBeforeHarmonics_s;
}

/// What lies before the tenth harmonic is nothing but noise.
ImpulseResponse from_harmonics_on(ImpulseResponse h, const Stimulus& s, double arrival_s) {
  if (harmonic_lead_s(s, 2.0) <= 0.0) return h;
  const double first = (arrival_s - split_s(s)) * h.sample_rate_hz + h.zero_at;
  const auto cut =
      static_cast<std::size_t>(std::clamp(first, 0.0, static_cast<double>(h.samples.size())));
  h.samples.erase(h.samples.begin(), h.samples.begin() + static_cast<std::ptrdiff_t>(cut));
  h.zero_at -= static_cast<double>(cut);
  return h;
}

/// Whether the impulse's clock starts at the excitation (a loopback or a known t0) or an unknown
/// latency is in it; or reference chirps tell the excitation, with their own way to the microphone
/// out, or still in.
enum class Clock { kFromExcitation, kWithLatency, kByChirps, kByChirpsFromAfar };

bool by_chirps(Clock clock) {
  return clock == Clock::kByChirps || clock == Clock::kByChirpsFromAfar;
}

/// In the loudspeaker's shadow a reflection is louder than what comes round its edges, and is taken
/// for the arrival. Where the clock starts at the excitation the tape measure says when the direct
/// sound is due: the first rise to a quarter of the peak within a box's depth of that, if there is
/// sound at all.
/// @param loudest  magnitude of the whole response.
std::optional<double> arrival_when_due(const ImpulseResponse& h, double flight_s, double loudest) {
  constexpr double kEarly_s = 0.5e-3;
  constexpr double kLate_s = 2.0e-3;
  constexpr double kOfLoudest = 0.1;
  const auto index = [&](double t) {
    return static_cast<std::size_t>(
        std::clamp(t * h.sample_rate_hz + h.zero_at, 0.0, static_cast<double>(h.samples.size())));
  };
  const std::span all(h.samples);
  const std::size_t from = index(flight_s - kEarly_s);
  const auto due = all.subspan(from, index(flight_s + kLate_s) - from);
  const double peak = peak_of(due);
  if (due.empty() || peak < kOfLoudest * loudest) return std::nullopt;
  for (std::size_t i = 0; i < due.size(); ++i)
    if (std::abs(due[i]) >= 0.25 * peak) return h.time_s(from + i);
  return std::nullopt;
}

/// The soonest that something may be called a reflection. Behind the loudspeaker the sound comes
/// round all its edges, one after the other: up to a metre of detour is the loudspeaker's own.
double earliest_reflection_s(const Placement& place) {
  constexpr double kInFront_s = 0.8e-3;
  constexpr double kBehind_s = 3.0e-3;
  const double angle = std::max(std::abs(place.horizontal_deg), std::abs(place.vertical_deg));
  const double behind = std::clamp((angle - 90.0) / 60.0, 0.0, 1.0);
  return kInFront_s + behind * (kBehind_s - kInFront_s);
}

std::string late_note(double off_s, double distance_m, const char* then) {
  return fmt::format("The sound arrives {:.2f} ms {} than the distance of {} m tells. {}",
                     std::abs(off_s) * 1e3, off_s > 0.0 ? "later" : "earlier", shortest(distance_m),
                     then);
}

/// Arrival, time origin and first reflection of a response.
void find_times(ImpulseStage& stage, const ImpulseResponse& h, const Take& take, Clock clock,
                const std::optional<Loudest>& loudest) {
  // Where the arrival agrees with the distance to a quarter of a metre, or as well as a driver that
  // reaches no higher can tell, the tape measure decides, so that takes at one distance keep their
  // phase against each other.
  constexpr double kAgreement_s = 0.25 / kSpeedOfSound20_m_s;
  constexpr double kAgreementPeriods = 0.25;
  constexpr double kTooLate_s = 2.0e-3;
  const Conditions& c = take.conditions;
  const Placement place = place_of(take);
  const double flight_s = place.distance_m / speed_of_sound_m_s(c.temperature_c);
  const double earliest_s = earliest_reflection_s(place);
  const bool taped =
      (clock == Clock::kFromExcitation || clock == Clock::kByChirps) && c.distance_told;
  auto found = find_arrival(h, earliest_s, loudest);
  if (!found) {
    stage.arrival_s = flight_s;
    stage.origin = {flight_s, clock == Clock::kByChirps ? TimeOrigin::Source::kReference
                                                        : TimeOrigin::Source::kTape};
    stage.notes.emplace_back("No direct sound stands out; the distance was taken for the arrival.");
    return;
  }
  const double tolerance_s = std::max(kAgreement_s, kAgreementPeriods / found->top_hz);
  if (taped && found->time_s > flight_s + std::max(kTooLate_s, tolerance_s)) {
    if (const auto due = arrival_when_due(h, flight_s, found->peak)) {
      // What was taken for the arrival is the reflection.
      if (found->time_s > *due + earliest_s) {
        found->first_reflection_s = found->time_s;
        found->later.insert(found->later.begin(), LateSound{found->time_s, 0.0});
      }
      found->time_s = *due;
    }
  }
  stage.top_hz = found->top_hz;
  stage.arrival_s = found->time_s;
  stage.first_reflection_s = found->first_reflection_s;
  stage.later = found->later;
  const double off_s = found->time_s - flight_s;
  if (by_chirps(clock)) {
    // One origin for all takes at a place, whatever their onsets do.
    stage.origin = {clock == Clock::kByChirps ? flight_s : 0.0, TimeOrigin::Source::kReference};
    if (taped && std::abs(off_s) >= tolerance_s)
      stage.notes.push_back(late_note(off_s, place.distance_m, "Check it, and the chirps'."));
    return;
  }
  if (taped && std::abs(off_s) < tolerance_s) {
    stage.origin = {flight_s, TimeOrigin::Source::kTape};
    return;
  }
  stage.origin = {found->time_s, TimeOrigin::Source::kOnset};
  if (taped) {
    stage.notes.push_back(late_note(
        off_s, place.distance_m, "Its onset starts the gate and the phase. Check the distance."));
  }
}

/// @param loudest  of the response, where it is known.
ImpulseStage staged(const AnalysisInput& in, ImpulseResponse h, Clock clock, double factor,
                    bool calibrated, const std::optional<Loudest>& loudest = {}) {
  ImpulseStage stage{.impulse = {}, .calibrated = calibrated};
  find_times(stage, h, in.take, clock, loudest);
  const Stimulus& s = in.take.conditions.stimulus;
  stage.uncut = std::make_shared<const ImpulseResponse>(std::move(h));
  stage.harmonics_s = harmonic_lead_s(s, 2.0);
  stage.recorded_s = static_cast<double>(stage.uncut->samples.size()) / stage.uncut->sample_rate_hz;
  stage.factor = factor;
  stage.repeats = in.take.conditions.repeats;
  if (in.take.form != RawForm::kImpulseFile) {
    if (const auto microphone = applied_correction(in.rig, stage.notes))
      stage.corrections.push_back(*microphone);
  }
  if (in.rig.inputs && in.take.form == RawForm::kRecording)
    stage.corrections.push_back(*in.rig.inputs);
  const bool cut = harmonic_lead_s(s, 2.0) > 0.0;
  if (!cut && factor == 1.0 && stage.corrections.empty()) {
    stage.impulse = stage.uncut;
    return stage;
  }
  ImpulseResponse own = from_harmonics_on(*stage.uncut, s, stage.arrival_s);
  for (const Response& correction : stage.corrections) take_out(correction, own);
  for (double& x : own.samples) x *= factor;
  stage.impulse = std::make_shared<const ImpulseResponse>(std::move(own));
  return stage;
}

/// The silence before the sweep, less its edges.
void hear_noise(ImpulseStage& stage, std::span<const double> measured,
                std::span<const double> reference, const Stimulus& s, double rate) {
  constexpr double kEdge_s = 0.01;
  const double from_s = kEdge_s;
  const double to_s = s.lead_in_s - kEdge_s;
  if (!(to_s > from_s)) return;
  const auto index = [&](double t) {
    return std::min(static_cast<std::size_t>(t * rate), measured.size());
  };
  const auto density = noise_density(measured.subspan(index(from_s), index(to_s) - index(from_s)),
                                     reference, rate, {s.start_hz, s.stop_hz});
  if (!density) return;
  std::vector<std::complex<double>> values = density->values();
  for (std::size_t i = 0; i < values.size(); ++i) {
    values[i] *= stage.factor;
    for (const Response& correction : stage.corrections) {
      const double f =
          std::clamp(density->axis()[i], correction.axis().front(), correction.axis().back());
      values[i] /= std::abs(value_at(correction, f));
    }
  }
  stage.noise = *Response::make(density->axis(), std::move(values),
                                stage.calibrated ? Quantity::kPressure : Quantity::kRatio,
                                density->valid(), false);
}

void note_clipping(std::span<const double> signal, std::vector<std::string>& notes) {
  const Clipping clipping = find_clipping(signal);
  if (clipping.clipped_count > 0) {
    notes.push_back(fmt::format("{} samples are clipped at {:.2f} of full scale.",
                                clipping.clipped_count, clipping.rail));
  }
}

void note_breaks(const HeardTake& heard, std::vector<std::string>& notes) {
  const SweepHeard whole = sweep_in(heard);
  if (!whole.stands_out) {
    notes.emplace_back(
        "The stated sweep is hardly found in the recording: check its start, end and duration.");
  } else if (whole.broken) {
    notes.push_back(fmt::format(
        "Samples are missing, doubled or disturbed at {:.3f} s, where the sweep passes {}.",
        whole.broken->at_s, frequency_text(whole.broken->at_hz)));
  }
}

/// Of repeats the mean of each one's own: all of them together have a comb for a spectrum, in whose
/// gaps nothing was played.
ImpulseResponse by_loopback(std::span<const double> signal, std::span<const double> reference,
                            double rate, const Stimulus& s) {
  const Band_hz band{s.start_hz, s.stop_hz};
  if (s.repeats < 2 || !(s.period_s >= s.duration_s))
    return deconvolve(signal, reference, rate, band, split_s(s));
  const auto spec = SweepSpec::make({s.start_hz, s.stop_hz, s.duration_s, rate});
  // Between two sweeps half of the silence belongs to each.
  const auto before =
      static_cast<std::size_t>(rate * std::min(s.lead_in_s, 0.5 * (s.period_s - s.duration_s)));
  const auto after = static_cast<std::size_t>(rate * (s.period_s - s.duration_s)) - before;
  ImpulseResponse mean;
  double used = 0.0;
  for (int k = 0; k < s.repeats; ++k) {
    const double excited = (s.lead_in_s + k * s.period_s) * rate;
    if (excited + s.duration_s * rate > static_cast<double>(signal.size())) break;
    const double at = std::round(excited);
    const ImpulseResponse h = deconvolve(stretch_around(signal, *spec, at, before, after).signal,
                                         stretch_around(reference, *spec, at, before, after).signal,
                                         rate, band, split_s(s));
    used += 1.0;
    if (mean.samples.empty())
      mean = h;
    else
      for (std::size_t i = 0; i < h.samples.size(); ++i) mean.samples[i] += h.samples[i];
  }
  if (used < 1.0) return deconvolve(signal, reference, rate, band, split_s(s));
  for (double& x : mean.samples) x /= used;
  return mean;
}

/// Of a recorded sweep: with a loopback beside it, or as it was heard.
Result<ImpulseStage> sweep_stage(const AnalysisInput& in, const AudioData& audio,
                                 const std::vector<double>& signal, std::vector<std::string> notes,
                                 std::stop_token stop) {
  const Conditions& c = in.take.conditions;
  Stimulus s = c.stimulus;
  const double rate = audio.sample_rate_hz;
  const auto spec = SweepSpec::make({s.start_hz, s.stop_hz, s.duration_s, rate});
  if (!spec) return tl::unexpected(spec.error());
  const auto lead = static_cast<std::size_t>(std::llround(s.lead_in_s * rate));
  if (signal.size() < lead + spec->sample_count()) {
    return bad_input(fmt::format("The recording lasts {} s, but lead-in and sweep take {} s.",
                                 three_digits(static_cast<double>(signal.size()) / rate),
                                 three_digits(s.lead_in_s + s.duration_s)),
                     in.take.raw_name);
  }
  const double pa_per_v = heard_pa_per_v(in.take, in.rig);
  const bool calibrated = pa_per_v > 0.0;
  const double factor = calibrated ? pa_per_v * c.drive_v : 1.0;
  if (stop.stop_requested()) return cancelled();
  ImpulseStage stage;
  if (c.loopback_channel >= 0 &&
      static_cast<std::size_t>(c.loopback_channel) < audio.channels.size()) {
    const auto& reference = audio.channels[static_cast<std::size_t>(c.loopback_channel)];
    ImpulseResponse h = by_loopback(signal, reference, rate, s);
    if (stop.stop_requested()) return cancelled();
    const SweepTrack track = track_sweep(reference, *spec, lead);
    const auto broken_hz = loopback_break_hz(reference, track, *spec, lead,
                                             find_clipping(reference).clipped_count == 0);
    if (track.present && broken_hz) {
      notes.push_back(
          fmt::format("Samples are missing or doubled near {}.", frequency_text(*broken_hz)));
    }
    stage = staged(in, std::move(h), Clock::kFromExcitation, factor, calibrated);
    hear_noise(stage, signal, reference, s, rate);
  } else {
    auto heard = heard_take(signal, rate, c, split_s(s), in.take.raw_name, stop);
    if (!heard) return tl::unexpected(heard.error());
    notes.insert(notes.end(), heard->notes.begin(), heard->notes.end());
    note_breaks(*heard, notes);
    const Clock clock = !heard->by_chirps    ? Clock::kWithLatency
                        : heard->start_known ? Clock::kByChirps
                                             : Clock::kByChirpsFromAfar;
    stage = staged(in, std::move(heard->impulse), clock, factor, calibrated);
    // Without a loopback the latency shifts the sweep, and the silence before it grows.
    s.lead_in_s = static_cast<double>(heard->lead) / rate;
    hear_noise(stage, heard->stretch, heard->reference, s, rate);
    if (stage.noise && heard->averaged > 1) {
      const double less = 1.0 / std::sqrt(static_cast<double>(heard->averaged));
      std::vector<std::complex<double>> values = stage.noise->values();
      for (auto& value : values) value *= less;
      stage.noise = *Response::make(stage.noise->axis(), std::move(values), stage.noise->quantity(),
                                    stage.noise->valid(), false);
    }
    if (heard->averaged > 1) stage.repeats = heard->spread;
    stage.sweeps_found = heard->found;
    stage.drift = heard->drift;
    stage.start_known = heard->start_known;
    stage.phase_open = heard->phase_open;
    if (!stage.start_known && heard->by_chirps)
      notes.emplace_back(
          "Time counts from the reference chirps' arrival: takes with the same chirps have it in "
          "common. How far the chirps' loudspeaker stands is not told, so distances are not.");
    else if (!stage.start_known)
      notes.emplace_back(
          "When the sweep was played is not known: arrival and reflection have no time of their "
          "own.");
  }
  stage.notes.insert(stage.notes.begin(), notes.begin(), notes.end());
  if (!calibrated)
    stage.notes.emplace_back("The file tells no sensitivity: levels are re the stimulus.");
  return stage;
}

Result<ImpulseStage> sound_stage(const AnalysisInput& in, std::stop_token stop) {
  auto audio = read_audio(in.raw, in.take.raw_name);
  if (!audio) return tl::unexpected(audio.error());
  const Conditions& c = in.take.conditions;
  const auto channel = static_cast<std::size_t>(c.channel);
  if (channel >= audio->channels.size())
    return fail(ErrorCode::kNotFound, fmt::format("There is no channel {}.", c.channel),
                in.take.raw_name);
  std::vector<double>& signal = audio->channels[channel];
  const double rate = audio->sample_rate_hz;
  std::vector<std::string> notes = audio->notes;
  if (std::all_of(signal.begin(), signal.end(), [](double x) { return x == 0.0; }))
    return bad_input(fmt::format("Channel {} is silent: nothing was recorded.", c.channel),
                     in.take.raw_name);
  if (in.take.form == RawForm::kImpulseFile) {
    ImpulseResponse h{.samples = std::move(signal),
                      .sample_rate_hz = rate,
                      .zero_at = c.t0_s * rate,
                      .excited = {0.0, 0.5 * rate}};
    if (stop.stop_requested()) return cancelled();
    const bool told = c.pa_per_unit > 0.0;
    ImpulseStage stage = staged(in, std::move(h), Clock::kFromExcitation,
                                told ? c.pa_per_unit : 1.0, told, audio->loudest[channel]);
    stage.notes.insert(stage.notes.begin(), notes.begin(), notes.end());
    if (!told)
      stage.notes.emplace_back("The file tells no sensitivity: levels are re 1 of its own scale.");
    return stage;
  }
  note_clipping(signal, notes);
  return sweep_stage(in, *audio, signal, std::move(notes), stop);
}

}  // namespace

bool has_impulse(const Take& take) {
  return is_pressure(take) &&
         (take.form == RawForm::kRecording || take.form == RawForm::kImpulseFile ||
          take.form == RawForm::kSweepFile);
}

std::string_view word_of(TimeOrigin::Source source) {
  switch (source) {
    case TimeOrigin::Source::kTape:
      return "distance";
    case TimeOrigin::Source::kReference:
      return "reference";
    case TimeOrigin::Source::kOnset:
      return "onset";
    case TimeOrigin::Source::kFile:
      return "file";
    case TimeOrigin::Source::kNone:
      break;
  }
  return "none";
}

Result<ImpulseResponse> recorded_impulse(const AnalysisInput& in,
                                         const UnpackedRecording& recording, double before_s,
                                         std::stop_token stop) {
  if (recording.measured.size() < 1024)
    return bad_input("The recording is empty or cut short.", in.take.name);
  const Stimulus& s = in.take.conditions.stimulus;
  if (stop.stop_requested()) return cancelled();
  return deconvolve(recording.measured, recording.loopback, in.take.sample_rate_hz,
                    {s.start_hz, s.stop_hz}, before_s);
}

Result<ImpulseStage> impulse_stage(const AnalysisInput& input, std::stop_token stop) {
  if (stop.stop_requested()) return cancelled();
  if (input.take.form != RawForm::kRecording) return sound_stage(input, stop);
  const UnpackedRecording recording = unpacked_recording(input.raw);
  const auto h = recorded_impulse(input, recording, split_s(input.take.conditions.stimulus), stop);
  if (!h) return tl::unexpected(h.error());
  if (stop.stop_requested()) return cancelled();
  const double pa_per_v = input.rig.input_pa_per_unit / input.rig.loopback_v_per_unit;
  const bool known = input.rig.level_known;
  ImpulseStage stage = staged(input, *h, Clock::kFromExcitation,
                              known ? pa_per_v * input.take.conditions.drive_v : 1.0, known);
  if (!known)
    stage.notes.emplace_back(
        "The rig's level is not calibrated: levels are relative, the same for all its takes.");
  hear_noise(stage, recording.measured, recording.loopback, input.take.conditions.stimulus,
             input.take.sample_rate_hz);
  return stage;
}

}  // namespace lalometer
