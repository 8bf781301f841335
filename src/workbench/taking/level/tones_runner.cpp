#include "workbench/taking/level/tones_runner.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "acoustics/level/multitone.h"
#include "acoustics/level/steady_tones.h"
#include "acoustics/signal/fft.h"
#include "acoustics/signal/recording/recording_checks.h"
#include "acoustics/signal/sweep.h"
#include "base/text.h"
#include "workbench/taking/by_sound.h"
#include "workbench/taking/take_checks.h"

namespace lalometer {
namespace {

using Weight = Remark::Weight;

constexpr double kQuiet_s = 0.5;
constexpr double kTail_s = 0.5;
constexpr double kHighestAmplitude = 0.9;
constexpr double kPeriod_s = 2.0;
constexpr double kEdge_s = 0.02;
constexpr int kTries = 3;
/// What a converter's or a driver's latency may be.
constexpr double kLatest_s = 0.4;

struct Likeness {
  double lag = 0.0;    ///< samples
  double share = 0.0;  ///< of the energy, 0 to 1
};

/// Where a stretch of what was played is found in a recording.
Likeness likeness(const std::vector<double>& recorded, const std::vector<double>& played,
                  std::size_t from, std::size_t count, std::size_t latest) {
  Likeness best;
  if (from + count > played.size()) return best;
  const std::size_t reach =
      std::min(count + latest, recorded.size() - std::min(from, recorded.size()));
  if (reach < count / 2) return best;
  std::size_t length = fast_length(reach + count);
  while (length % 2 != 0) length = fast_length(length + 1);
  Spectrum a = real_spectrum(std::span(recorded).subspan(from, reach), length);
  const Spectrum b = real_spectrum(std::span(played).subspan(from, count), length);
  for (std::size_t k = 0; k < a.size(); ++k) a[k] *= std::conj(b[k]);
  Samples like(length);
  RealTransform(length).inverse(a, like);
  std::size_t top = 0;
  for (std::size_t i = 0; i < std::min(latest, like.size()); ++i)
    if (std::abs(like[i]) > std::abs(like[top])) top = i;
  const auto energy = [](std::span<const double> x) {
    return std::inner_product(x.begin(), x.end(), x.begin(), 0.0);
  };
  const double all = std::sqrt(energy(std::span(played).subspan(from, count)) *
                               energy(std::span(recorded).subspan(from, std::min(count, reach))));
  best.lag = static_cast<double>(top);
  best.share = all > 0.0 ? std::abs(like[top]) / all : 0.0;
  return best;
}

void tell_level(const Recording& r, const TonesExcitation& e, std::vector<Remark>& remarks) {
  const auto lead =
      std::min(static_cast<std::size_t>(e.lead_in_s * r.sample_rate_hz), r.measured.size());
  const std::span<const double> all(r.measured);
  const double peak = peak_of(all);
  if (peak <= 0.0) {
    remarks.push_back({Weight::kRefusal, "no-signal", "The microphone input is silent.",
                       "Check the microphone's cable, its power, and the input's channel."});
    return;
  }
  if (peak < 0.01)
    remarks.push_back({Weight::kDoubt, "low-level",
                       fmt::format("The microphone input peaks at {:.0f} dB re full scale only.",
                                   20.0 * std::log10(peak)),
                       "Turn the input gain up; between -20 and -6 dB is best."});
  const double over_db =
      20.0 * std::log10(rms_of(all.subspan(lead)) / std::max(rms_of(all.first(lead)), 1e-12));
  if (over_db < 6.0)
    remarks.push_back({Weight::kRefusal, "no-signal",
                       "The tones hardly rise above what was heard before them.",
                       "Check the amplifier, the loudspeaker's cable, and the microphone."});
  else if (over_db < 40.0)
    remarks.push_back({Weight::kDoubt, "signal-to-noise",
                       fmt::format("The tones stand {:.0f} dB over the noise: what they add is "
                                   "hidden below that.",
                                   over_db),
                       "Wait for quiet, or come closer."});
}

Remark loopback_lost() {
  return {Weight::kRefusal, "loopback-missing", "The loopback carries none of the tones.",
          "Plug the loopback cable from the output into the loopback input and check its channel."};
}

Remark samples_lost(std::string text) {
  return {Weight::kRefusal, "lost-samples", std::move(text),
          "Close other programs that use sound, choose a longer buffer, and take it again."};
}

/// Of many tones at once both ends against what was played: a different delay means lost or doubled
/// samples.
void tell_multitone_continuity(const Recording& r, const TonesExcitation& e,
                               std::vector<Remark>& remarks) {
  const double rate = r.sample_rate_hz;
  const auto lead = static_cast<std::size_t>(e.lead_in_s * rate);
  const auto sounding = static_cast<std::size_t>(e.sounding_s * rate);
  const auto piece = std::min(sounding / 3, static_cast<std::size_t>(kPeriod_s * rate));
  const auto latest = static_cast<std::size_t>(kLatest_s * rate);
  const Likeness first = likeness(r.loopback, e.output, lead, piece, latest);
  const Likeness last = likeness(r.loopback, e.output, lead + sounding - piece, piece, latest);
  if (std::max(first.share, last.share) < 0.2)
    remarks.push_back(loopback_lost());
  else if (std::abs(first.lag - last.lag) >= 1.0)
    remarks.push_back(samples_lost(
        fmt::format("{:.0f} samples were lost or doubled.", std::abs(first.lag - last.lag))));
}

void tell_steady_continuity(const Recording& r, const TonesExcitation& e,
                            std::vector<Remark>& remarks) {
  const auto tones = steady_schedule(e.tones_hz, r.sample_rate_hz);
  if (!tones) return;
  const SteadyStart start = find_steady_tones(r.loopback, r.sample_rate_hz, *tones);
  if (start.likeness < 0.3)
    remarks.push_back(loopback_lost());
  else if (const auto hz = broken_tone_hz(r.loopback, r.sample_rate_hz, *tones, start.at))
    remarks.push_back(samples_lost(fmt::format(
        "Samples were lost or doubled while the tone of {} was read.", frequency_text(*hz))));
}

/// By the wire alone: what a microphone hears of a room is not alike enough.
void tell_continuity(const Recording& r, TakeKind kind, const TonesExcitation& e,
                     std::vector<Remark>& remarks) {
  if (r.loopback.empty() || !r.one_clock) return;
  if (kind == TakeKind::kMultitone)
    tell_multitone_continuity(r, e, remarks);
  else
    tell_steady_continuity(r, e, remarks);
}

Take take_of(const TakeRequest& request, const TonesExcitation& e, const RigCalibration& rig,
             const Recording& recording) {
  Take take;
  take.subject_id = request.subject_id;
  take.variant_id = request.variant_id;
  take.setup = setup_of(request);
  if (auto* tones = std::get_if<MultitoneSetup>(&take.setup)) tones->tones_hz = e.tones_hz;
  if (auto* tones = std::get_if<SteadyTonesSetup>(&take.setup)) tones->tones_hz = e.tones_hz;
  take.form = RawForm::kSoundFile;
  take.name = request.name;
  take.raw_name = take.name + ".wav";
  std::replace(take.raw_name.begin(), take.raw_name.end(), '/', '-');
  take.sample_rate_hz = request.sample_rate_hz;
  Conditions& c = take.conditions;
  c.drive_v = request.drive_v;
  c.temperature_c = request.temperature_c;
  c.sample = request.sample;
  if (request.kind == TakeKind::kMultitone || request.condition != "near-field")
    c.driver = request.source;
  c.channel = 0;
  c.loopback_channel = recording.loopback.empty() ? -1 : 1;
  c.pa_per_unit = rig.level_known ? rig.input_pa_per_unit : 0.0;
  c.pa_per_v = rig.level_known ? rig.input_pa_per_unit / rig.loopback_v_per_unit : 0.0;
  c.stimulus.lead_in_s = e.lead_in_s;
  c.stimulus.amplitude = e.amplitude;
  take.plan_item = request.plan_item;
  take.drawing = request.drawing;
  return take;
}

struct Sound {
  std::vector<double> samples;  ///< of peak 1
  std::vector<double> tones_hz;
  double crest = 1.0;
};

Result<Sound> multitone_sound(const TakeRequest& r) {
  const double rate = r.sample_rate_hz;
  return multitone({.low_hz = 20.0,
                    .high_hz = std::min(20000.0, 0.45 * rate),
                    .tones_per_octave = r.tones_per_octave,
                    .period_s = kPeriod_s,
                    .sample_rate_hz = rate,
                    .part_from_hz = r.start_hz,
                    .part_to_hz = r.stop_hz})
      .map([&](const Multitone& tones) {
        Sound sound{.samples = {}, .tones_hz = tones.tones_hz, .crest = tones.crest};
        const int periods =
            std::max(2, static_cast<int>(std::lround(r.duration_s * r.repeats / kPeriod_s)));
        for (int i = 0; i < periods; ++i)
          sound.samples.insert(sound.samples.end(), tones.period.begin(), tones.period.end());
        const auto edge = static_cast<std::size_t>(kEdge_s * rate);
        apply_fades(sound.samples, edge, edge);
        return sound;
      });
}

Result<Sound> steady_sound(const TakeRequest& r) {
  return steady_tones({.low_hz = r.start_hz,
                       .high_hz = std::min(r.stop_hz, 0.45 * r.sample_rate_hz),
                       .tones_per_octave = r.tones_per_octave,
                       .sample_rate_hz = r.sample_rate_hz})
      .map([](const SteadyTones& tones) {
        return Sound{steady_signal(tones), tones.tones_hz(), std::sqrt(2.0)};
      });
}

}  // namespace

Result<TonesExcitation> tones_excitation(const TakeRequest& r, const RigCalibration& rig) {
  auto sound = r.kind == TakeKind::kMultitone ? multitone_sound(r) : steady_sound(r);
  if (!sound) return tl::unexpected(sound.error());
  const double amplitude = r.drive_v * sound->crest / rig.output_v_per_unit;
  if (amplitude > kHighestAmplitude)
    return bad_input(
        fmt::format("{} V of tones needs {:.0f} dB more than the rig can give: their peaks stand "
                    "{:.1f} times over the drive.",
                    three_digits(r.drive_v), 20.0 * std::log10(amplitude / kHighestAmplitude),
                    sound->crest),
        rig.rig_name);
  const double rate = r.sample_rate_hz;
  TonesExcitation e{.output = {},
                    .tones_hz = std::move(sound->tones_hz),
                    .lead_in_s = kQuiet_s,
                    .sounding_s = static_cast<double>(sound->samples.size()) / rate,
                    .crest = sound->crest,
                    .amplitude = amplitude};
  const auto lead = static_cast<std::size_t>(kQuiet_s * rate);
  e.output.assign(lead + sound->samples.size() + static_cast<std::size_t>(kTail_s * rate), 0.0);
  for (std::size_t i = 0; i < sound->samples.size(); ++i)
    e.output[lead + i] = amplitude * sound->samples[i];
  return e;
}

Result<TakeOutcome> run_tones(AudioDevice& device, const RigCalibration& rig,
                              const TakeRequest& request, std::stop_token stop,
                              const TakeProgressCallback& progress) {
  const auto excitation = tones_excitation(request, rig);
  if (!excitation) return tl::unexpected(excitation.error());
  const double whole_s = static_cast<double>(excitation->output.size()) / request.sample_rate_hz;
  const auto tell = [&](TakeProgress::Stage stage, double done) {
    if (progress) progress({stage, done, (1.0 - done) * whole_s});
  };
  tell(TakeProgress::Stage::kPrepare, 0.0);
  if (auto ready = device.prepare(stream_of(rig, request.kind, request.sample_rate_hz)); !ready)
    return tl::unexpected(ready.error());
  TakeOutcome outcome;
  outcome.tries = 0;
  for (bool again = true; again;) {
    auto recording = device.run(excitation->output, stop, [&](double done) {
      tell(TakeProgress::Stage::kPlay, 0.98 * done);
    });
    if (!recording) {
      device.stop();
      return tl::unexpected(recording.error());
    }
    ++outcome.tries;
    tell(TakeProgress::Stage::kCheck, 0.98);
    outcome.take = take_of(request, *excitation, rig, *recording);
    outcome.take.sample_rate_hz = recording->sample_rate_hz;
    std::vector<Remark>& remarks = outcome.take.remarks;
    tell_clipping(find_clipping(recording->measured), find_clipping(recording->loopback),
                  "microphone", remarks);
    tell_level(*recording, *excitation, remarks);
    tell_continuity(*recording, request.kind, *excitation, remarks);
    const auto refusing = [](const Remark& r) { return r.weight == Weight::kRefusal; };
    outcome.accepted = std::none_of(remarks.begin(), remarks.end(), refusing);
    const bool lost = std::any_of(remarks.begin(), remarks.end(), [&](const Remark& r) {
      return refusing(r) && r.code == "lost-samples";
    });
    outcome.recording = std::move(*recording);
    again = lost && outcome.tries < kTries && !stop.stop_requested();
  }
  device.stop();
  if (stop.stop_requested()) return cancelled();
  outcome.take.accepted = outcome.accepted;
  tell(TakeProgress::Stage::kCheck, 1.0);
  return outcome;
}

}  // namespace lalometer
