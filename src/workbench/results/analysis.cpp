#include "workbench/results/analysis.h"

#include <cmath>
#include <limits>

#include "acoustics/impedance/divider.h"
#include "acoustics/signal/checks/continuity.h"
#include "acoustics/signal/checks/recording_checks.h"
#include "acoustics/signal/deconvolve.h"
#include "acoustics/signal/fft.h"
#include "acoustics/signal/sweep.h"
#include "acoustics/spectrum/smoothing.h"
#include "base/constants.h"
#include "base/hash.h"
#include "base/text.h"
#include "book/json.h"
#include "exchange/audio_file.h"
#include "exchange/curve_file.h"

namespace lalometer {
namespace {

/// Raised whenever the same input gives another result.
constexpr const char* kComputation = "analysis 6";

/// What a curve is made of; harmonics lie earlier, decay goes on later.
constexpr double kKeptBefore_s = 0.02;
constexpr double kKeptAfter_s = 0.5;
/// How many harmonics of a sweep are kept before its arrival.
constexpr double kHarmonics = 10.0;

ImpulseResponse trimmed(const ImpulseResponse& h, double arrival_s) {
  const double rate = h.sample_rate_hz;
  const double at = arrival_s * rate + h.zero_at;
  const auto limit = static_cast<double>(h.samples.size());
  const auto begin = static_cast<std::size_t>(std::clamp(at - kKeptBefore_s * rate, 0.0, limit));
  const auto end = static_cast<std::size_t>(std::clamp(at + kKeptAfter_s * rate, 0.0, limit));
  ImpulseResponse kept = h;
  kept.samples.assign(h.samples.begin() + static_cast<std::ptrdiff_t>(begin),
                      h.samples.begin() + static_cast<std::ptrdiff_t>(end));
  kept.zero_at = h.zero_at - static_cast<double>(begin);
  return kept;
}

/// Harmonic n of an exponential sweep comes out T ln(n) / ln(f2/f1) ahead of the arrival (Farina
/// 2000); what lies before the tenth is nothing but noise.
ImpulseResponse from_harmonics_on(ImpulseResponse h, const Stimulus& s, double arrival_s) {
  if (!(s.duration_s > 0.0 && s.stop_hz > s.start_hz && s.start_hz > 0.0)) return h;
  const double before_s =
      s.duration_s * std::log(kHarmonics) / std::log(s.stop_hz / s.start_hz) + 2.0 * kKeptBefore_s;
  const double first = (arrival_s - before_s) * h.sample_rate_hz + h.zero_at;
  const auto cut =
      static_cast<std::size_t>(std::clamp(first, 0.0, static_cast<double>(h.samples.size())));
  h.samples.erase(h.samples.begin(), h.samples.begin() + static_cast<std::ptrdiff_t>(cut));
  h.zero_at -= static_cast<double>(cut);
  return h;
}

Response levelled(const Response& curve, double factor, Quantity quantity) {
  std::vector<std::complex<double>> values = curve.values();
  for (auto& value : values) value *= factor;
  return *Response::make(curve.axis(), std::move(values), quantity, curve.valid(),
                         curve.has_phase());
}

/// Whether the impulse's clock starts at the excitation (a loopback or a known t0) or an unknown
/// latency is in it.
enum class Clock { kFromExcitation, kWithLatency };

/// The microphone's own response taken out of an impulse response, before any gate: a slope of the
/// microphone spreads in time, and a gate would cut that off. Outside the correction's range its
/// ends hold.
void take_out(const Response& correction, ImpulseResponse& h) {
  const std::size_t n = fast_length(2 * h.samples.size()) / 2 * 2;
  Spectrum bins = real_spectrum(h.samples, n);
  const double step_hz = h.sample_rate_hz / static_cast<double>(n);
  for (std::size_t k = 0; k < bins.size(); ++k) {
    const double f = std::clamp(static_cast<double>(k) * step_hz, correction.axis().front(),
                                correction.axis().back());
    bins[k] /= value_at(correction, f);
  }
  bins.front() = bins.front().real();
  bins.back() = bins.back().real();
  Samples time(n);
  RealTransform(n).inverse(bins, time);
  std::copy_n(time.begin(), h.samples.size(), h.samples.begin());
}

void take_out(const Response& correction, UncutSpectrum& spectrum) {
  for (std::size_t k = 0; k < spectrum.bins.size(); ++k) {
    const double f = std::clamp(static_cast<double>(k) * spectrum.step_hz,
                                correction.axis().front(), correction.axis().back());
    spectrum.bins[k] /= value_at(correction, f);
  }
}

FrequencyAxis response_axis(const ImpulseResponse& h) {
  return reading_axis(std::max(h.excited.low_hz, 10.0),
                      std::min(h.excited.high_hz, 0.475 * h.sample_rate_hz));
}

/// By how much a sweep's second harmonic is ahead of its arrival.
double second_harmonic_lead_s(const Stimulus& s) {
  if (!(s.duration_s > 0.0 && s.stop_hz > s.start_hz && s.start_hz > 0.0)) return 0.0;
  return s.duration_s * std::log(2.0) / std::log(s.stop_hz / s.start_hz);
}

/// In the loudspeaker's shadow a reflection is louder than what comes round its edges, and is taken
/// for the arrival. Where the clock starts at the excitation the tape measure says when the direct
/// sound is due: the first rise to a quarter of the peak within a box's depth of that, if there is
/// sound at all.
std::optional<double> arrival_when_due(const ImpulseResponse& h, double flight_s) {
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
  if (due.empty() || peak < kOfLoudest * peak_of(all)) return std::nullopt;
  for (std::size_t i = 0; i < due.size(); ++i)
    if (std::abs(due[i]) >= 0.25 * peak) return h.time_s(from + i);
  return std::nullopt;
}

ImpulseStage staged(const AnalysisInput& in, ImpulseResponse h, Clock clock, double factor,
                    bool calibrated) {
  const Take& take = in.take;
  const Conditions& c = take.conditions;
  auto found = find_arrival(h);
  const double flight_s = place_of(take).distance_m / speed_of_sound_m_s(c.temperature_c);
  constexpr double kTooLate_s = 2.0e-3;
  if (found && clock == Clock::kFromExcitation && found->time_s > flight_s + kTooLate_s) {
    if (const auto due = arrival_when_due(h, flight_s)) {
      // What was taken for the arrival is the reflection.
      found->first_reflection_s = found->time_s;
      found->time_s = *due;
    }
  }
  ImpulseStage stage{
      .impulse = {}, .first_reflection_s = std::nullopt, .calibrated = calibrated, .notes = {}};
  stage.arrival_s = found ? found->time_s : flight_s;
  if (!found)
    stage.notes.emplace_back("No direct sound stands out; the distance was taken for the arrival.");
  if (found) stage.first_reflection_s = found->first_reflection_s;
  // Where the arrival agrees with the distance to a quarter of a metre, the tape measure decides
  // phase zero, so that takes at one distance keep their phase against each other.
  constexpr double kAgreement_m = 0.25;
  const bool plausible = clock == Clock::kFromExcitation &&
                         std::abs(stage.arrival_s - flight_s) < kAgreement_m / kSpeedOfSound20_m_s;
  stage.zero_s = plausible ? flight_s : stage.arrival_s;
  stage.uncut = std::make_shared<const ImpulseResponse>(h);
  stage.harmonics_s = second_harmonic_lead_s(c.stimulus);
  stage.factor = factor;
  h = from_harmonics_on(std::move(h), c.stimulus, stage.arrival_s);
  const auto correct = [&](const Response& correction) {
    take_out(correction, h);
    stage.corrections.push_back(correction);
  };
  if (in.rig.microphone_correction && take.form != RawForm::kImpulseFile)
    correct(*in.rig.microphone_correction);
  if (in.rig.inputs && take.form == RawForm::kRecording) correct(*in.rig.inputs);
  for (double& x : h.samples) x *= factor;
  stage.impulse = std::make_shared<const ImpulseResponse>(std::move(h));
  return stage;
}

/// The loopback tells the ratio of microphone (or jig) to drive; nothing else of the rig's latency
/// matters.
Result<ImpulseResponse> recorded_impulse(const AnalysisInput& in,
                                         const UnpackedRecording& recording, std::stop_token stop) {
  if (recording.measured.size() < 1024)
    return bad_input("The recording is empty or cut short.", in.take.name);
  const Stimulus& s = in.take.conditions.stimulus;
  if (stop.stop_requested()) return cancelled();
  return deconvolve(recording.measured, recording.loopback, in.take.sample_rate_hz,
                    {s.start_hz, s.stop_hz});
}

Result<Analysis> recorded_impedance(const AnalysisInput& in, std::stop_token stop) {
  const auto h = recorded_impulse(in, unpacked_recording(in.raw), stop);
  if (!h) return tl::unexpected(h.error());
  if (stop.stop_requested()) return cancelled();
  // The ratio of the two channels as it stands, over the whole recording; the jig has no flight
  // time.
  const Stimulus& s = in.take.conditions.stimulus;
  const FrequencyAxis axis = reading_axis(std::max(s.start_hz * 1.1, 5.0),
                                          std::min(s.stop_hz / 1.05, 0.475 * h->sample_rate_hz));
  Response ratio = levelled(ungated_response(*h, 0.0, axis, Quantity::kRatio),
                            in.rig.jig_v_per_unit / in.rig.loopback_v_per_unit, Quantity::kRatio);
  ratio = ratio.with_valid(intersect(ratio.valid(), {axis.front(), axis.back()}));
  auto z = in.rig.jig ? impedance_by_calibration(ratio, *in.rig.jig)
                      : impedance_by_divider(ratio, in.rig.reference_ohm, in.rig.cable_ohm);
  return z.map([](Response& curve) {
    return Analysis{.curve = std::move(curve),
                    .first_reflection_s = std::nullopt,
                    .gate_s = std::nullopt,
                    .notes = {}};
  });
}

Result<Analysis> from_text(const AnalysisInput& in) {
  const bool impedance = in.take.kind() == TakeKind::kImpedance;
  const ColumnKind kind = impedance ? ColumnKind::kImpedance : ColumnKind::kResponse;
  return read_text_table(in.raw, in.take.raw_name, kind).map([&](const TextTable& table) {
    const Conditions& c = in.take.conditions;
    Response curve = curve_of(table, kind, c.gate_s > 0.0 ? valid_from_hz(c.gate_s) : 0.0);
    if (c.delay_included && curve.has_phase()) {
      curve =
          without_delay(curve, place_of(in.take).distance_m / speed_of_sound_m_s(c.temperature_c));
    }
    if (!impedance) curve = smoothed(curve, in.recipe.smoothing);
    return Analysis{.curve = std::move(curve),
                    .first_reflection_s = std::nullopt,
                    .gate_s = c.gate_s > 0.0 ? std::optional(c.gate_s) : std::nullopt,
                    .notes = table.notes};
  });
}

void note_clipping(std::span<const double> signal, std::vector<std::string>& notes) {
  const Clipping clipping = find_clipping(signal);
  if (clipping.clipped_count > 0) {
    notes.push_back(fmt::format("{} samples are clipped at {:.2f} of full scale.",
                                clipping.clipped_count, clipping.rail));
  }
}

/// Without a loopback a recording has a latency: its sweep begins as much later as its pulse comes.
void note_breaks(std::span<const double> signal, const SweepSpec& spec, std::size_t lead,
                 const ImpulseResponse& h, std::vector<std::string>& notes) {
  const auto louder = [](double a, double b) { return std::abs(a) < std::abs(b); };
  const auto peak = std::max_element(h.samples.begin(), h.samples.end(), louder);
  // The mean level of everything: a pulse stands out of it (find_arrival's own rule).
  constexpr double kStandsOut = 4.0;
  if (std::abs(*peak) < kStandsOut * rms_of(h.samples)) {
    notes.emplace_back(
        "The stated sweep is hardly found in the recording: check its start, end and duration.");
    return;
  }
  const double late = h.time_s(static_cast<std::size_t>(peak - h.samples.begin()));
  const auto start = static_cast<std::size_t>(
      std::max(0.0, static_cast<double>(lead) + late * spec.sample_rate_hz()));
  if (const auto broken = find_sweep_break(signal, spec, start, h)) {
    notes.push_back(fmt::format(
        "Samples are missing, doubled or disturbed at {:.3f} s, where the sweep passes {}.",
        broken->at_s, frequency_text(broken->at_hz)));
  }
}

Result<ImpulseStage> sound_stage(const AnalysisInput& in, std::stop_token stop) {
  const auto audio = read_audio(in.raw, in.take.raw_name);
  if (!audio) return tl::unexpected(audio.error());
  const Conditions& c = in.take.conditions;
  const auto channel = static_cast<std::size_t>(c.channel);
  if (channel >= audio->channels.size())
    return fail(ErrorCode::kNotFound, fmt::format("There is no channel {}.", c.channel),
                in.take.raw_name);
  const std::vector<double>& signal = audio->channels[channel];
  const double rate = audio->sample_rate_hz;
  std::vector<std::string> notes = audio->notes;
  if (peak_of(signal) <= 0.0)
    return bad_input(fmt::format("Channel {} is silent: nothing was recorded.", c.channel),
                     in.take.raw_name);
  if (in.take.form == RawForm::kImpulseFile) {
    ImpulseResponse h{.samples = signal,
                      .sample_rate_hz = rate,
                      .zero_at = c.t0_s * rate,
                      .excited = {0.0, 0.5 * rate}};
    if (stop.stop_requested()) return cancelled();
    ImpulseStage stage = staged(in, std::move(h), Clock::kFromExcitation, 1.0, false);
    stage.notes.insert(stage.notes.begin(), notes.begin(), notes.end());
    stage.notes.emplace_back("The file tells no sensitivity: levels are re 1 of its own scale.");
    return stage;
  }
  note_clipping(signal, notes);
  const Stimulus& s = c.stimulus;
  const auto spec = SweepSpec::make({s.start_hz, s.stop_hz, s.duration_s, rate});
  if (!spec) return tl::unexpected(spec.error());
  const auto lead = static_cast<std::size_t>(std::llround(s.lead_in_s * rate));
  if (signal.size() < lead + spec->sample_count()) {
    return bad_input(fmt::format("The recording lasts {} s, but lead-in and sweep take {} s.",
                                 three_digits(static_cast<double>(signal.size()) / rate),
                                 three_digits(s.lead_in_s + s.duration_s)),
                     in.take.raw_name);
  }
  const bool has_loopback = c.loopback_channel >= 0 &&
                            static_cast<std::size_t>(c.loopback_channel) < audio->channels.size();
  std::vector<double> reference(signal.size(), 0.0);
  if (has_loopback) {
    reference = audio->channels[static_cast<std::size_t>(c.loopback_channel)];
  } else {
    const std::vector<double> sweep = exponential_sweep(*spec);
    for (std::size_t i = 0; i < sweep.size() && lead + i < reference.size(); ++i)
      reference[lead + i] = s.amplitude * sweep[i];
  }
  if (stop.stop_requested()) return cancelled();
  ImpulseResponse h = deconvolve(signal, reference, rate, {s.start_hz, s.stop_hz});
  if (stop.stop_requested()) return cancelled();
  if (has_loopback) {
    const SweepTrack track = track_sweep(reference, *spec, lead);
    if (track.present && !track.continuous()) {
      notes.push_back(
          fmt::format("Samples are missing or doubled near {}.", frequency_text(track.slip_at_hz)));
    }
  } else {
    note_breaks(signal, *spec, lead, h, notes);
  }
  const bool calibrated = c.pa_per_v > 0.0;
  ImpulseStage stage =
      staged(in, std::move(h), has_loopback ? Clock::kFromExcitation : Clock::kWithLatency,
             calibrated ? c.pa_per_v * c.drive_v : 1.0, calibrated);
  stage.notes.insert(stage.notes.begin(), notes.begin(), notes.end());
  if (!calibrated)
    stage.notes.emplace_back("The file tells no sensitivity: levels are re the stimulus.");
  return stage;
}

}  // namespace

std::string analysis_key(const Take& take, const RigCalibration& rig, const Recipe& recipe) {
  return sha256_hex(fmt::format("{}|{}|{}|{}|{}|{}|{}|{}|{}", kComputation, take.raw_hash,
                                kind_word(take.setup), to_json(take.setup), word_of(take.form),
                                take.sample_rate_hz, to_json(take.conditions), to_json(rig),
                                to_json(recipe)));
}

FrequencyAxis reading_axis(double low_hz, double high_hz) {
  constexpr double kPointsPerOctave = 96.0;
  const double first =
      std::ceil(std::log2(low_hz / 1000.0) * kPointsPerOctave - 1e-9) / kPointsPerOctave;
  return FrequencyAxis::logarithmic(1000.0 * std::exp2(first), high_hz, kPointsPerOctave);
}

bool has_impulse(const Take& take) {
  return is_pressure(take) && take.form != RawForm::kTextFile && take.form != RawForm::kSoundFile;
}

bool has_curve(const Take& take) {
  return (is_pressure(take) && take.form != RawForm::kSoundFile) ||
         (take.kind() == TakeKind::kImpedance &&
          (take.form == RawForm::kRecording || take.form == RawForm::kTextFile));
}

Result<ImpulseStage> impulse_stage(const AnalysisInput& input, std::stop_token stop) {
  if (stop.stop_requested()) return cancelled();
  if (input.take.form != RawForm::kRecording) return sound_stage(input, stop);
  const UnpackedRecording recording = unpacked_recording(input.raw);
  const auto h = recorded_impulse(input, recording, stop);
  if (!h) return tl::unexpected(h.error());
  if (stop.stop_requested()) return cancelled();
  const double pa_per_v = input.rig.input_pa_per_unit / input.rig.loopback_v_per_unit;
  return staged(input, *h, Clock::kFromExcitation, pa_per_v * input.take.conditions.drive_v, true);
}

namespace {

UncutSpectrum whole_spectrum(const ImpulseStage& stage) {
  // A stage that was made otherwise holds nothing but the response itself, whole.
  if (!stage.uncut) return uncut_spectrum(*stage.impulse, stage.arrival_s, 0.0);
  UncutSpectrum spectrum = uncut_spectrum(*stage.uncut, stage.arrival_s, stage.harmonics_s);
  for (auto& bin : spectrum.bins) bin *= stage.factor;
  for (const Response& correction : stage.corrections) take_out(correction, spectrum);
  return spectrum;
}

}  // namespace

Analysis curve_stage(const ImpulseStage& stage, const Recipe& recipe) {
  const ImpulseResponse h = trimmed(*stage.impulse, stage.arrival_s);
  const double rate = h.sample_rate_hz;
  const Quantity quantity = stage.calibrated ? Quantity::kPressure : Quantity::kRatio;
  const FrequencyAxis axis = response_axis(h);
  std::vector<std::string> notes = stage.notes;
  std::optional<double> gate_s;
  std::optional<Response> curve;
  if (recipe.gated) {
    const double longest = h.time_s(h.samples.size()) - stage.arrival_s;
    gate_s = std::clamp(recipe.gate_s, 2.0 / rate, std::max(longest, 4.0 / rate));
    const Gate gate{.arrival_s = stage.arrival_s,
                    .length_s = *gate_s,
                    .tail = recipe.continue_tail ? GateTail::kContinued : GateTail::kCut};
    curve = without_delay(gated_response(h, gate, axis, quantity), stage.zero_s - stage.arrival_s);
    // Low drivers stand farther from the microphone's height than the one whose reflection was
    // found.
    if (stage.first_reflection_s && *stage.first_reflection_s < stage.arrival_s + *gate_s) {
      notes.push_back(fmt::format("A reflection {:.2f} ms after the arrival lies inside the gate.",
                                  (*stage.first_reflection_s - stage.arrival_s) * 1e3));
    }
  } else {
    curve = response_on(whole_spectrum(stage), stage.zero_s, axis, recipe.smoothing, quantity);
    notes.emplace_back("No gate: the room's reflections are in the curve.");
  }
  return {.curve = recipe.gated ? smoothed(*curve, recipe.smoothing) : std::move(*curve),
          .impulse = stage.impulse,
          .arrival_s = stage.arrival_s,
          .first_reflection_s = stage.first_reflection_s,
          .gate_s = gate_s,
          .calibrated = stage.calibrated,
          .notes = std::move(notes)};
}

Result<Analysis> analysed(const AnalysisInput& input, std::stop_token stop) {
  if (stop.stop_requested()) return cancelled();
  if (!has_curve(input.take)) {
    return fail(
        ErrorCode::kNotFound,
        fmt::format("A take of the kind \"{}\" is kept whole, but not read by this version.",
                    kind_word(input.take.setup)),
        input.take.name);
  }
  if (has_impulse(input.take)) {
    return impulse_stage(input, stop).map([&](const ImpulseStage& stage) {
      return curve_stage(stage, input.recipe);
    });
  }
  return input.take.form == RawForm::kTextFile ? from_text(input) : recorded_impedance(input, stop);
}

std::vector<float> miniature(const Response& curve, std::size_t count) {
  std::vector<float> points(count, std::numeric_limits<float>::quiet_NaN());
  for (std::size_t i = 0; i < count; ++i) {
    const double f =
        20.0 * std::pow(1000.0, static_cast<double>(i) / static_cast<double>(count - 1));
    const double magnitude = std::abs(value_at(curve, f));
    if (curve.valid().contains(f) && std::isfinite(magnitude)) {
      points[i] = static_cast<float>(to_level_db(magnitude, level_reference(curve.quantity())));
    }
  }
  return points;
}

}  // namespace lalometer
