#include "workbench/analysis.h"

#include <cmath>
#include <limits>

#include "acoustics/impedance/divider.h"
#include "acoustics/signal/deconvolve.h"
#include "acoustics/signal/recording_checks.h"
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
constexpr const char* kComputation = "analysis 1";

/// An impulse response without its room's late part is enough for everything shown; a recording's full length would
/// cost memory for each curve on the score.
constexpr double kKeptBefore_s = 0.02;
constexpr double kKeptAfter_s = 0.5;

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

Response levelled(const Response& curve, double factor, Quantity quantity) {
  std::vector<std::complex<double>> values = curve.values();
  for (auto& value : values) value *= factor;
  return *Response::make(curve.axis(), std::move(values), quantity, curve.valid(), curve.has_phase());
}

/// The time that becomes phase zero: the flight of the take's distance where the clock starts at the excitation (a
/// loopback or a known t0), else the arrival as found.
struct Clock {
  bool starts_at_excitation;
};

Analysis from_impulse(const AnalysisInput& in, ImpulseResponse h, Clock clock, double factor, bool calibrated) {
  const Conditions& c = in.take.conditions;
  const auto found = find_arrival(h);
  const double flight_s = c.distance_m / speed_of_sound_m_s(c.temperature_c);
  Analysis a{.curve = *Response::make(FrequencyAxis::logarithmic(1.0, 2.0, 1.0), {1.0, 1.0}, Quantity::kRatio, {}, true),
             .impulse = std::nullopt, .first_reflection_s = std::nullopt, .gate_s = std::nullopt, .calibrated = calibrated,
             .notes = {}};
  a.arrival_s = found ? found->time_s : flight_s;
  if (!found) a.notes.emplace_back("No direct sound stands out; the distance was taken for the arrival.");
  if (found) a.first_reflection_s = found->first_reflection_s;
  // Where the arrival agrees with the distance to a quarter of a metre, the tape measure decides phase zero, so that
  // takes at one distance keep their phase against each other.
  const bool plausible = clock.starts_at_excitation && std::abs(a.arrival_s - flight_s) < 0.25 / 343.0;
  const double zero_s = plausible ? flight_s : a.arrival_s;
  const double top = std::min(h.excited.high_hz, 0.475 * h.sample_rate_hz);
  const FrequencyAxis axis = reading_axis(std::max(h.excited.low_hz, 10.0), top);
  const Quantity quantity = calibrated ? Quantity::kPressure : Quantity::kRatio;
  const double rate = h.sample_rate_hz;
  if (in.recipe.gated) {
    const double longest = (static_cast<double>(h.samples.size()) - h.zero_at) / rate - a.arrival_s;
    a.gate_s = std::clamp(in.recipe.gate_s, 2.0 / rate, std::max(longest, 4.0 / rate));
    const Gate gate{.arrival_s = a.arrival_s, .length_s = *a.gate_s,
                    .tail = in.recipe.continue_tail ? GateTail::kContinued : GateTail::kCut};
    a.curve = without_delay(gated_response(h, gate, axis, quantity), zero_s - a.arrival_s);
  } else {
    a.curve = ungated_response(h, zero_s, axis, quantity);
    a.notes.emplace_back("No gate: the room's reflections are in the curve.");
  }
  a.curve = levelled(a.curve, factor, quantity);
  if (in.rig.microphone_correction && in.take.form == RawForm::kRecording) {
    a.curve = divided(a.curve, *in.rig.microphone_correction, quantity);
  }
  a.curve = smoothed(a.curve, in.recipe.smoothing);
  for (double& x : h.samples) x *= factor;
  a.impulse = trimmed(h, a.arrival_s);
  return a;
}

Result<Analysis> from_recording(const AnalysisInput& in, std::stop_token stop) {
  const UnpackedRecording recording = unpacked_recording(in.raw);
  if (recording.measured.size() < 1024) return bad_input("The recording is empty or cut short.", in.take.name);
  const Stimulus& s = in.take.conditions.stimulus;
  const double rate = in.take.sample_rate_hz;
  const Band_hz band{s.start_hz, s.stop_hz};
  if (stop.stop_requested()) return cancelled();
  ImpulseResponse h = deconvolve(recording.measured, recording.loopback, rate, band);
  if (stop.stop_requested()) return cancelled();
  if (in.take.kind == TakeKind::kResponse) {
    const double pa_per_v = in.rig.input_pa_per_unit / in.rig.loopback_v_per_unit;
    return from_impulse(in, std::move(h), {.starts_at_excitation = true}, pa_per_v * in.take.conditions.drive_v, true);
  }
  // Impedance: the ratio of the two channels as it stands, over the whole recording; the jig has no flight time.
  const FrequencyAxis axis = reading_axis(std::max(s.start_hz * 1.1, 5.0), std::min(s.stop_hz / 1.05, 0.475 * rate));
  Response ratio = levelled(ungated_response(h, 0.0, axis, Quantity::kRatio),
                            in.rig.jig_v_per_unit / in.rig.loopback_v_per_unit, Quantity::kRatio);
  ratio = ratio.with_valid(intersect(ratio.valid(), {axis.front(), axis.back()}));
  auto z = in.rig.jig ? impedance_by_calibration(ratio, *in.rig.jig)
                      : impedance_by_divider(ratio, in.rig.reference_ohm, in.rig.cable_ohm);
  return z.map([](Response& curve) {
    return Analysis{.curve = std::move(curve), .impulse = std::nullopt, .first_reflection_s = std::nullopt,
                    .gate_s = std::nullopt, .notes = {}};
  });
}

Result<Analysis> from_text(const AnalysisInput& in) {
  const bool impedance = in.take.kind == TakeKind::kImpedance;
  const ColumnKind kind = impedance ? ColumnKind::kImpedance : ColumnKind::kResponse;
  return read_text_table(in.raw, in.take.raw_name, kind).map([&](const TextTable& table) {
    const Conditions& c = in.take.conditions;
    Response curve = curve_of(table, kind, c.gate_s > 0.0 ? valid_from_hz(c.gate_s) : 0.0);
    if (c.delay_included && curve.has_phase()) {
      curve = without_delay(curve, c.distance_m / speed_of_sound_m_s(c.temperature_c));
    }
    if (!impedance) curve = smoothed(curve, in.recipe.smoothing);
    return Analysis{.curve = std::move(curve), .impulse = std::nullopt, .first_reflection_s = std::nullopt,
                    .gate_s = c.gate_s > 0.0 ? std::optional(c.gate_s) : std::nullopt, .notes = table.notes};
  });
}

void note_clipping(std::span<const double> signal, std::vector<std::string>& notes) {
  const Clipping clipping = find_clipping(signal);
  if (clipping.clipped_count > 0) {
    notes.push_back(fmt::format("{} samples are clipped at {:.2f} of full scale.", clipping.clipped_count, clipping.rail));
  }
}

Result<Analysis> from_sound(const AnalysisInput& in, std::stop_token stop) {
  const auto audio = read_audio(in.raw, in.take.raw_name);
  if (!audio) return tl::unexpected(audio.error());
  const Conditions& c = in.take.conditions;
  const auto channel = static_cast<std::size_t>(c.channel);
  if (channel >= audio->channels.size()) return fail(ErrorCode::kNotFound, fmt::format("There is no channel {}.", c.channel), in.take.raw_name);
  const std::vector<double>& signal = audio->channels[channel];
  const double rate = audio->sample_rate_hz;
  std::vector<std::string> notes;
  if (in.take.form == RawForm::kImpulseFile) {
    ImpulseResponse h{.samples = signal, .sample_rate_hz = rate, .zero_at = c.t0_s * rate, .excited = {0.0, 0.5 * rate}};
    if (stop.stop_requested()) return cancelled();
    Analysis a = from_impulse(in, std::move(h), {.starts_at_excitation = true}, 1.0, false);
    a.notes.emplace_back("The file tells no sensitivity: levels are re 1 of its own scale.");
    return a;
  }
  note_clipping(signal, notes);
  const Stimulus& s = c.stimulus;
  const auto spec = SweepSpec::make({s.start_hz, s.stop_hz, s.duration_s, rate});
  if (!spec) return tl::unexpected(spec.error());
  const auto lead = static_cast<std::size_t>(std::llround(s.lead_in_s * rate));
  const bool has_loopback = c.loopback_channel >= 0 && static_cast<std::size_t>(c.loopback_channel) < audio->channels.size();
  std::vector<double> reference(signal.size(), 0.0);
  if (has_loopback) {
    reference = audio->channels[static_cast<std::size_t>(c.loopback_channel)];
  } else {
    const std::vector<double> sweep = exponential_sweep(*spec);
    for (std::size_t i = 0; i < sweep.size() && lead + i < reference.size(); ++i) reference[lead + i] = s.amplitude * sweep[i];
  }
  if (has_loopback) {
    const SweepTrack track = track_sweep(reference, *spec, lead);
    if (track.present && !track.continuous()) {
      notes.push_back(fmt::format("Samples are missing or doubled near {}.", frequency_text(track.slip_at_hz)));
    }
  } else if (const SweepTrack track = track_sweep(signal, *spec, lead); !track.present) {
    notes.emplace_back("The stated sweep is hardly found in the recording: check its start, end and duration.");
  }
  if (stop.stop_requested()) return cancelled();
  ImpulseResponse h = deconvolve(signal, reference, rate, {s.start_hz, s.stop_hz});
  const bool calibrated = c.pa_per_v > 0.0;
  Analysis a = from_impulse(in, std::move(h), {.starts_at_excitation = has_loopback},
                            calibrated ? c.pa_per_v * c.drive_v : 1.0, calibrated);
  a.notes.insert(a.notes.begin(), notes.begin(), notes.end());
  if (!calibrated) a.notes.emplace_back("The file tells no sensitivity: levels are re the stimulus.");
  return a;
}

}  // namespace

std::string analysis_key(const Take& take, const RigCalibration& rig, const Recipe& recipe) {
  return sha256_hex(fmt::format("{}|{}|{}|{}|{}|{}|{}|{}", kComputation, take.raw_hash, word_of(take.kind), word_of(take.form),
                                take.sample_rate_hz, to_json(take.conditions), to_json(rig), to_json(recipe)));
}

FrequencyAxis reading_axis(double low_hz, double high_hz) {
  constexpr double kPointsPerOctave = 96.0;
  const double first = std::ceil(std::log2(low_hz / 1000.0) * kPointsPerOctave - 1e-9) / kPointsPerOctave;
  return FrequencyAxis::logarithmic(1000.0 * std::exp2(first), high_hz, kPointsPerOctave);
}

Result<Analysis> analysed(const AnalysisInput& input, std::stop_token stop) {
  if (stop.stop_requested()) return cancelled();
  switch (input.take.form) {
    case RawForm::kRecording: return from_recording(input, stop);
    case RawForm::kTextFile: return from_text(input);
    case RawForm::kImpulseFile:
    case RawForm::kSweepFile: return from_sound(input, stop);
  }
  return bad_input("The take's raw data is of an unknown form.", input.take.name);
}

std::vector<float> miniature(const Response& curve, std::size_t count) {
  std::vector<float> points(count, std::numeric_limits<float>::quiet_NaN());
  for (std::size_t i = 0; i < count; ++i) {
    const double f = 20.0 * std::pow(1000.0, static_cast<double>(i) / static_cast<double>(count - 1));
    const double magnitude = std::abs(value_at(curve, f));
    if (curve.valid().contains(f) && std::isfinite(magnitude)) {
      points[i] = static_cast<float>(to_level_db(magnitude, level_reference(curve.quantity())));
    }
  }
  return points;
}

}  // namespace lalometer
