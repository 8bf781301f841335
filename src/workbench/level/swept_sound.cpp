#include "workbench/level/swept_sound.h"

#include <algorithm>
#include <cmath>

#include "acoustics/signal/recording/sweep_track.h"
#include "exchange/audio_file.h"
#include "workbench/results/heard_sweep.h"

namespace lalometer {
namespace {

constexpr double kEdge_s = 0.01;

/// With the loopback beside it.
SweptSound by_loopback(std::vector<double> measured, std::span<const double> loopback,
                       const SweepSpec& spec, const Stimulus& s, double arrival_s) {
  const double rate = spec.sample_rate_hz();
  const auto lead = static_cast<std::size_t>(std::llround(s.lead_in_s * rate));
  const double begins =
      s.lead_in_s * rate + sweep_latency_samples(loopback, spec, lead).value_or(0.0);
  return {.measured = std::move(measured), .spec = spec, .arrives_at = begins + arrival_s * rate};
}

void find_silence(SweptSound& sound, double lead_in_s) {
  const double rate = sound.spec.sample_rate_hz();
  const double to_s = std::min(lead_in_s, sound.arrives_at / rate) - kEdge_s;
  if (to_s <= 2.0 * kEdge_s) return;
  sound.silence_from = static_cast<std::size_t>(kEdge_s * rate);
  const auto to = std::min(static_cast<std::size_t>(to_s * rate), sound.measured.size());
  sound.silence_count = to > sound.silence_from ? to - sound.silence_from : 0;
}

}  // namespace

Result<SweptSound> swept_sound(const AnalysisInput& in, const ImpulseStage& stage,
                               std::stop_token stop) {
  const Conditions& c = in.take.conditions;
  const Stimulus& s = c.stimulus;
  const double rate = stage.impulse->sample_rate_hz;
  const auto spec = SweepSpec::make({s.start_hz, s.stop_hz, s.duration_s, rate});
  if (!spec) return tl::unexpected(spec.error());
  if (in.take.form == RawForm::kRecording) {
    UnpackedRecording recording = unpacked_recording(in.raw);
    SweptSound sound =
        by_loopback(std::move(recording.measured), recording.loopback, *spec, s, stage.arrival_s);
    find_silence(sound, s.lead_in_s);
    return sound;
  }
  auto audio = read_audio(in.raw, in.take.raw_name);
  if (!audio) return tl::unexpected(audio.error());
  const auto channel = static_cast<std::size_t>(std::max(c.channel, 0));
  if (channel >= audio->channels.size())
    return fail(ErrorCode::kNotFound, "The recording's channel is missing.", in.take.raw_name);
  const auto beside = static_cast<std::size_t>(std::max(c.loopback_channel, 0));
  if (c.loopback_channel >= 0 && beside < audio->channels.size()) {
    SweptSound sound = by_loopback(std::move(audio->channels[channel]), audio->channels[beside],
                                   *spec, s, stage.arrival_s);
    find_silence(sound, s.lead_in_s);
    return sound;
  }
  // Ten harmonics before the response, as the stage splits it.
  const double split_s = s.duration_s * std::log(10.0) / std::log(s.stop_hz / s.start_hz) + 0.04;
  auto heard = heard_take(audio->channels[channel], audio->sample_rate_hz, c, split_s,
                          in.take.raw_name, stop);
  if (!heard) return tl::unexpected(heard.error());
  const double lead = static_cast<double>(heard->lead);
  SweptSound sound{.measured = std::move(heard->stretch),
                   .spec = heard->spec,
                   .arrives_at = lead + (heard->start_known ? stage.arrival_s * rate : 0.0)};
  find_silence(sound, lead / rate);
  return sound;
}

}  // namespace lalometer
