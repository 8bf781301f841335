#include "workbench/taking/level/level_setting.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "acoustics/signal/recording/recording_checks.h"
#include "base/constants.h"
#include "base/text.h"
#include "workbench/results/analysis.h"
#include "workbench/taking/level/tones_runner.h"

namespace lalometer {
namespace {

constexpr double kHighestPeak = 0.7;
constexpr double kStep_db = 10.0;
/// Above this anybody in the room wears hearing protection.
constexpr double kLoud_db = 85.0;

/// The quiet sweep that stands for a take.
TakeRequest quiet_sweep(const TakeRequest& wanted) {
  TakeRequest quiet = wanted;
  if (plays_tones(wanted.kind))
    quiet.kind = wanted.condition == "near-field" ? TakeKind::kNearField : TakeKind::kResponse;
  if (quiet.kind == TakeKind::kNearField) quiet.condition.clear();
  quiet.repeats = 1;
  // Short sweeps begin higher: their lowest octaves would pass within a few periods.
  quiet.duration_s = 0.5;
  quiet.start_hz = std::max(quiet.start_hz, 60.0);
  quiet.stop_hz = std::max(quiet.stop_hz, 2.0 * quiet.start_hz);
  quiet.target_spl_db = 0.0;
  return quiet;
}

/// What a sweep gives at 1 m, dB SPL; nothing where it is not heard.
std::optional<double> level_at_1m_db(const TakeOutcome& outcome, const RigCalibration& rig,
                                     double gate_s) {
  AnalysisInput input;
  input.take = outcome.take;
  input.raw = raw_of(outcome).bytes;
  input.rig = rig;
  input.recipe.gate_s = gate_s > 0.0 ? gate_s : 0.004;
  input.recipe.smoothing = 6;
  const auto stage = impulse_stage(input, {});
  if (!stage || !stage->calibrated || stage->top_hz <= 0.0) return std::nullopt;
  // What ends in the bass no gate of a room shows.
  input.recipe.gated = stage->top_hz >= 400.0;
  const Analysis a = curve_stage(*stage, input.recipe);
  const Stimulus& s = outcome.take.conditions.stimulus;
  const ValidRange known =
      intersect(a.curve.valid(), ValidRange{1.2 * s.start_hz, s.stop_hz / 1.2});
  double loudest = 0.0;
  for (std::size_t i = 0; i < a.curve.size(); ++i)
    if (known.contains(a.curve.axis()[i])) loudest = std::max(loudest, a.curve.magnitude(i));
  if (!(loudest > 0.0)) return std::nullopt;
  ValidRange plays{1e12, 0.0};
  for (std::size_t i = 0; i < a.curve.size(); ++i) {
    const double f = a.curve.axis()[i];
    if (!known.contains(f) || a.curve.magnitude(i) < 0.316 * loudest) continue;
    plays.low_hz = std::min(plays.low_hz, f);
    plays.high_hz = std::max(plays.high_hz, f);
  }
  if (plays.low_hz <= 330.0 && plays.high_hz >= 3000.0)
    plays = {std::max(300.0, plays.low_hz), 3000.0};
  double sum = 0.0;
  double count = 0.0;
  for (std::size_t i = 0; i < a.curve.size(); ++i) {
    if (!plays.contains(a.curve.axis()[i])) continue;
    sum += to_level_db(a.curve.magnitude(i), kReferencePressure_pa);
    count += 1.0;
  }
  const double distance_m = place_of(outcome.take).distance_m;
  return sum / std::max(count, 1.0) + 20.0 * std::log10(std::max(distance_m, 0.01));
}

Result<void> may_be_aimed_at(const RigCalibration& rig, const TakeRequest& wanted) {
  if (!rig.level_known)
    return bad_input(
        "A level at 1 m needs a rig whose levels are calibrated: take the microphone's "
        "sensitivity, or set the drive in volts.",
        rig.rig_name);
  if (wanted.kind == TakeKind::kNearField || wanted.condition == "near-field")
    return bad_input("A near field has no level at 1 m: set its drive in volts.", wanted.name);
  return {};
}

Remark clipped_remark(double wanted_v, double set_v) {
  return {Remark::Weight::kNote, "level-set",
          fmt::format("{} V would have clipped the input: the drive was set to {} V.",
                      three_digits(wanted_v), three_digits(set_v)),
          "Turn the input gain down to measure at the drive you wanted."};
}

}  // namespace

Result<LevelSetting> set_level(AudioDevice& device, const RigCalibration& rig,
                               const TakeRequest& wanted, std::stop_token stop) {
  const TakeRequest allowed = limited(wanted).request;
  const bool aims = wanted.target_spl_db > 0.0;
  if (aims)
    if (auto may = may_be_aimed_at(rig, wanted); !may) return tl::unexpected(may.error());
  // A multitone's peaks stand higher over its rms than a sweep's.
  const double crest = allowed.kind == TakeKind::kMultitone ? 4.2 / std::sqrt(2.0) : 1.0;
  LevelSetting setting{allowed.drive_v, 0.0, {}};
  double aimed_v = allowed.drive_v;
  std::optional<double> unlimited_v;
  const double step = std::pow(10.0, kStep_db / 20.0);
  for (double at_v = allowed.drive_v / (aims ? 100.0 : 10.0);; at_v *= step) {
    TakeRequest quiet = quiet_sweep(allowed);
    quiet.drive_v = at_v;
    auto outcome = run_take(device, rig, quiet, stop, {});
    if (!outcome) return tl::unexpected(outcome.error());
    const double peak = peak_of(outcome->recording.measured) * crest;
    if (aims) {
      if (const auto level = level_at_1m_db(*outcome, rig, allowed.gate_s)) {
        unlimited_v = at_v * std::pow(10.0, (wanted.target_spl_db - *level) / 20.0);
        aimed_v = std::min(allowed.drive_v, *unlimited_v);
      }
    }
    setting.drive_v = aimed_v;
    setting.peak = peak * aimed_v / at_v;
    if (setting.peak > kHighestPeak) {
      setting.drive_v = std::max(at_v * 0.6 * kHighestPeak / std::max(peak, 1e-9), 1e-3);
      setting.drive_v = std::min(setting.drive_v, aimed_v);
      setting.peak = peak * setting.drive_v / at_v;
      setting.remarks.push_back(clipped_remark(aimed_v, setting.drive_v));
      return setting;
    }
    if (at_v * step > aimed_v / 1.001) break;
  }
  if (aims && !unlimited_v)
    return fail(ErrorCode::kDevice,
                "The level at 1 m could not be set: the sweeps before it were not heard.",
                wanted.name);
  if (aims && *unlimited_v > 1.001 * allowed.drive_v) {
    setting.remarks.push_back(
        {Remark::Weight::kDoubt, "level-not-reached",
         fmt::format("{:.0f} dB at 1 m would take {} V; it was taken at {} V, the most that is "
                     "allowed here.",
                     wanted.target_spl_db, three_digits(*unlimited_v),
                     three_digits(allowed.drive_v)),
         "Measure at what it stands: more would harm it, or the rig."});
  } else if (aims) {
    setting.remarks.push_back(
        {Remark::Weight::kNote, "level-by-target",
         fmt::format("{:.0f} dB at 1 m: {} V.", wanted.target_spl_db,
                     three_digits(setting.drive_v)),
         wanted.target_spl_db >= kLoud_db ? "Wear hearing protection while this plays." : ""});
  }
  return setting;
}

std::vector<double> countdown_signal(double seconds, double drive_v, const RigCalibration& rig,
                                     double sample_rate_hz) {
  constexpr double kPip_hz = 1000.0;
  const double amplitude = 0.1 * drive_v * std::sqrt(2.0) / rig.output_v_per_unit;
  const auto whole = static_cast<std::size_t>(std::max(seconds, 0.5) * sample_rate_hz);
  std::vector<double> signal(whole, 0.0);
  const auto pip = [&](double from_s, double length_s) {
    const auto from = static_cast<std::size_t>(from_s * sample_rate_hz);
    const auto count = static_cast<std::size_t>(length_s * sample_rate_hz);
    for (std::size_t i = 0; i < count && from + i < whole; ++i) {
      const double t = static_cast<double>(i) / sample_rate_hz;
      // Raised at both ends, so that nothing clicks.
      const double rise = std::min({1.0, t / 0.01, (length_s - t) / 0.01});
      signal[from + i] = amplitude * rise * std::sin(2.0 * kPi * kPip_hz * t);
    }
  };
  for (double t = 0.0; t < seconds - 1.0; t += 1.0) pip(t, 0.08);
  pip(std::max(seconds - 0.9, 0.0), 0.3);
  return signal;
}

}  // namespace lalometer
