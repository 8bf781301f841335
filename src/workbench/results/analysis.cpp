#include "workbench/results/analysis.h"

#include <cmath>
#include <limits>

#include "acoustics/impedance/divider.h"
#include "acoustics/signal/checks/uncut.h"
#include "acoustics/spectrum/smoothing.h"
#include "base/constants.h"
#include "base/hash.h"
#include "base/text.h"
#include "book/json.h"
#include "exchange/curve_file.h"
#include "workbench/results/corrections.h"

namespace lalometer {
namespace {

/// Raised whenever the same input gives another result.
constexpr const char* kComputation = "analysis 11";

/// The longest gate; decay goes on later.
constexpr double kKeptAfter_s = 0.5;

Response levelled(const Response& curve, double factor, Quantity quantity) {
  std::vector<std::complex<double>> values = curve.values();
  for (auto& value : values) value *= factor;
  return *Response::make(curve.axis(), std::move(values), quantity, curve.valid(),
                         curve.has_phase());
}

/// A ratio of two inputs in their own units, as a ratio of volts.
Response without_inputs(const Response& units, const Response& inputs) {
  const Response own = resampled(inputs, units.axis());
  std::vector<std::complex<double>> values = units.values();
  for (std::size_t i = 0; i < values.size(); ++i) values[i] /= own.value(i);
  return *Response::make(units.axis(), std::move(values), units.quantity(), units.valid(),
                         units.has_phase());
}

FrequencyAxis response_axis(const ImpulseResponse& h) {
  return reading_axis(std::max(h.excited.low_hz, 10.0),
                      std::min(h.excited.high_hz, 0.475 * h.sample_rate_hz));
}

Result<Analysis> recorded_impedance(const AnalysisInput& in, std::stop_token stop) {
  const auto h = recorded_impulse(in, unpacked_recording(in.raw), 0.0, stop);
  if (!h) return tl::unexpected(h.error());
  if (stop.stop_requested()) return cancelled();
  // The ratio of the two channels as it stands, over the whole recording; the jig has no flight
  // time.
  const Stimulus& s = in.take.conditions.stimulus;
  const FrequencyAxis axis = reading_axis(std::max(s.start_hz * 1.1, 5.0),
                                          std::min(s.stop_hz / 1.05, 0.475 * h->sample_rate_hz));
  const UncutSpectrum whole = uncut_spectrum(*h, 0.0, 0.0);
  const Response units = response_on(whole, 0.0, axis, 0, Quantity::kRatio);
  const bool swapped = in.rig.jig_inputs && !in.rig.jig;
  Response ratio = swapped ? without_inputs(units, *in.rig.jig_inputs)
                           : levelled(units, in.rig.jig_v_per_unit / in.rig.loopback_v_per_unit,
                                      Quantity::kRatio);
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
                    .origin = {0.0, impedance          ? TimeOrigin::Source::kNone
                                    : c.delay_included ? TimeOrigin::Source::kTape
                                                       : TimeOrigin::Source::kFile},
                    .first_reflection_s = std::nullopt,
                    .gate_s = c.gate_s > 0.0 ? std::optional(c.gate_s) : std::nullopt,
                    .notes = table.notes};
  });
}

/// What was read off a chart: no phase, valid over what was traced.
Result<Analysis> from_chart(const Take& take, const Recipe& recipe) {
  const TracedChart& chart = take.conditions.chart;
  auto axis = FrequencyAxis::make(chart.frequency_hz);
  if (!axis || axis->size() < 2)
    return bad_input("Nothing has been traced on this chart yet.", take.name);
  const bool impedance = take.kind() == TakeKind::kImpedance;
  std::vector<std::complex<double>> values;
  for (const double v : chart.value)
    values.emplace_back(impedance ? v : from_level(v, 0.0, kReferencePressure_pa));
  const ValidRange whole{axis->front(), axis->back()};
  auto curve = Response::make(*std::move(axis), std::move(values),
                              impedance ? Quantity::kImpedance : Quantity::kPressure, whole, false);
  if (!curve) return tl::unexpected(curve.error());
  // Its own smoothing cannot be undone; coarser is done.
  const bool finer = chart.smoothing > 0 && recipe.smoothing > chart.smoothing;
  const int by = impedance || finer ? 0 : recipe.smoothing;
  return Analysis{.curve = smoothed(*curve, by),
                  .origin = {0.0, TimeOrigin::Source::kNone},
                  .first_reflection_s = std::nullopt,
                  .gate_s = std::nullopt,
                  .notes = {}};
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
  // The takes of a set lie on one.
  struct Last {
    double low_hz, high_hz;
    FrequencyAxis axis;
  };
  thread_local std::optional<Last> last;
  if (last && last->low_hz == low_hz && last->high_hz == high_hz) return last->axis;
  const double first =
      std::ceil(std::log2(low_hz / 1000.0) * kPointsPerOctave - 1e-9) / kPointsPerOctave;
  last = {low_hz, high_hz,
          FrequencyAxis::logarithmic(1000.0 * std::exp2(first), high_hz, kPointsPerOctave)};
  return last->axis;
}

bool has_curve(const Take& take) {
  return (is_pressure(take) && take.form != RawForm::kSoundFile) ||
         (take.kind() == TakeKind::kImpedance &&
          (take.form == RawForm::kRecording || take.form == RawForm::kTextFile ||
           take.form == RawForm::kChartPicture));
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

/// Noise of a gate's length, and what it and the repeats make of the curve's spread.
void add_noise(Analysis& a, const ImpulseStage& stage, double gathered_s) {
  const RepeatSpread& repeats = stage.repeats;
  if (repeats.frequency_hz.size() > 1) {
    std::vector<std::complex<double>> apart(repeats.relative.begin(), repeats.relative.end());
    const Response told = *Response::make(*FrequencyAxis::make(repeats.frequency_hz),
                                          std::move(apart), Quantity::kRatio, {}, false);
    const Response on_axis = resampled(told, a.curve.axis());
    std::vector<double> spread(a.curve.size());
    for (std::size_t i = 0; i < spread.size(); ++i) spread[i] = on_axis.magnitude(i);
    a.curve = a.curve.with_spread(std::move(spread));
  }
  if (!stage.noise) return;
  std::vector<std::complex<double>> values = stage.noise->values();
  for (auto& value : values) value *= std::sqrt(gathered_s);
  a.noise = *Response::make(stage.noise->axis(), std::move(values), a.curve.quantity(),
                            stage.noise->valid(), false);
  const Response on_axis = resampled(*a.noise, a.curve.axis());
  std::vector<double> spread(a.curve.size());
  for (std::size_t i = 0; i < spread.size(); ++i) {
    // Half the power of noise lies along the value, half across it.
    spread[i] = on_axis.magnitude(i) / std::max(a.curve.magnitude(i), 1e-30) / std::sqrt(2.0);
    if (!a.curve.spread().empty()) spread[i] = std::max(spread[i], a.curve.spread()[i]);
  }
  a.curve = a.curve.with_spread(std::move(spread));
}

}  // namespace

namespace {

Response without_phase(const Response& curve) {
  std::vector<std::complex<double>> values(curve.size());
  for (std::size_t i = 0; i < curve.size(); ++i) values[i] = std::max(curve.magnitude(i), 1e-30);
  return *Response::make(curve.axis(), std::move(values), curve.quantity(), curve.valid(), false);
}

}  // namespace

Analysis curve_stage(const ImpulseStage& stage, const Recipe& recipe) {
  const double start_s = stage.gate_start_s();
  const ImpulseResponse& h = *stage.impulse;
  const double rate = h.sample_rate_hz;
  const Quantity quantity = stage.calibrated ? Quantity::kPressure : Quantity::kRatio;
  const FrequencyAxis axis = response_axis(h);
  std::vector<std::string> notes = stage.notes;
  std::optional<double> gate_s;
  std::optional<Response> curve;
  if (recipe.gated) {
    const double longest = std::min(h.time_s(h.samples.size()) - start_s, kKeptAfter_s);
    gate_s = std::clamp(recipe.gate_s, 2.0 / rate, std::max(longest, 4.0 / rate));
    const Gate gate{.arrival_s = start_s,
                    .length_s = *gate_s,
                    .tail = recipe.continue_tail ? GateTail::kContinued : GateTail::kCut};
    curve = gated_response(h, gate, axis, quantity, stage.origin.at_s);
    // Low drivers stand farther from the microphone's height than the one whose reflection was
    // found.
    if (stage.first_reflection_s && *stage.first_reflection_s < start_s + *gate_s) {
      notes.push_back(fmt::format("A reflection {:.2f} ms after the arrival lies inside the gate.",
                                  (*stage.first_reflection_s - stage.arrival_s) * 1e3));
    }
  } else {
    curve = response_on(whole_spectrum(stage), stage.origin.at_s, axis, recipe.smoothing, quantity);
    notes.emplace_back("No gate: the room's reflections are in the curve.");
  }
  Analysis analysis{.curve = recipe.gated ? smoothed(*curve, recipe.smoothing) : std::move(*curve),
                    .start_known = stage.start_known,
                    .impulse = stage.impulse,
                    .arrival_s = stage.arrival_s,
                    .origin = stage.origin,
                    .first_reflection_s = stage.first_reflection_s,
                    .later = stage.later,
                    .gate_s = gate_s,
                    .gate_start_s = start_s,
                    .calibrated = stage.calibrated,
                    .notes = std::move(notes)};
  if (stage.phase_open) analysis.curve = without_phase(analysis.curve);
  add_noise(analysis, stage, gate_s.value_or(stage.recorded_s));
  return analysis;
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
  switch (input.take.form) {
    case RawForm::kTextFile:
      return from_text(input);
    case RawForm::kChartPicture:
      return from_chart(input.take, input.recipe);
    case RawForm::kWorked:
      return fail(ErrorCode::kNotFound, "This curve is worked out of others.", input.take.name);
    default:
      return recorded_impedance(input, stop);
  }
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
