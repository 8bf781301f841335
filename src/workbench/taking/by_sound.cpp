#include "workbench/taking/by_sound.h"

#include <algorithm>
#include <cmath>

#include "acoustics/signal/recording/disturbance.h"
#include "acoustics/signal/recording/recording_checks.h"
#include "base/text.h"
#include "workbench/results/heard_sweep.h"
#include "workbench/taking/stimulus_file.h"
#include "workbench/taking/take_checks.h"

namespace lalometer {
namespace {

using Weight = Remark::Weight;

constexpr double kQuiet_s = 0.5;  ///< before everything: noise, and devices that start late
constexpr double kTail_s = 0.6;

Remark no_sweep(const std::string& seen) {
  return {Weight::kRefusal, "no-signal", seen,
          "Check the microphone's cable, its power, the amplifier, and the input's channel."};
}

/// Samples that are missing or doubled, and what sounded beside. Repeats and chirps tell losses
/// surely; by the sweep alone a loss and a door look alike, and the door is looked for first.
std::optional<Remark> spoiled(const HeardTake& heard) {
  const auto lost = [](std::string seen) {
    return Remark{
        Weight::kRefusal, "lost-samples", std::move(seen),
        "Close other programs that use sound, choose a longer buffer, and take it again."};
  };
  if (heard.drift && heard.drift->slip_after)
    return lost(fmt::format("{:.0f} samples are {}.", std::abs(heard.drift->slip_samples),
                            heard.drift->slip_samples > 0.0 ? "missing" : "doubled"));
  if (const auto noise = find_disturbance(heard.stretch, heard.spec, heard.lead)) {
    return Remark{noise->certain ? Weight::kRefusal : Weight::kDoubt, "disturbed",
                  fmt::format("Something sounded beside the sweep, most around {}.",
                              frequency_text(noise->around_hz)),
                  "A door, a step, a lorry: wait until it is quiet and take it again."};
  }
  if (const SweepHeard whole = sweep_in(heard); whole.broken)
    return lost(fmt::format("Samples are missing, doubled or disturbed where the sweep passes {}.",
                            frequency_text(whole.broken->at_hz)));
  return std::nullopt;
}

void tell_level(const HeardTake& heard, double rate, std::vector<Remark>& remarks) {
  const std::span<const double> all(heard.stretch);
  const auto silence = all.first(std::min(heard.lead, all.size()));
  const auto sounding = all.subspan(std::min(heard.lead, all.size()));
  const double peak = peak_of(all);
  if (peak < 0.01) {
    remarks.push_back({Weight::kDoubt, "low-level",
                       fmt::format("The microphone input peaks at {:.0f} dB re full scale only.",
                                   20.0 * std::log10(std::max(peak, 1e-10))),
                       "Turn the input gain up; between -20 and -6 dB is best."});
  }
  tell_noise(silence, sounding, rms_of(sounding), rate, heard.spec, remarks);
}

}  // namespace

bool rests_on_sound(const RigCalibration& rig, TakeKind kind) {
  return rig.time != TimeBase::kLoopback && kind != TakeKind::kImpedance;
}

StreamSetup stream_of(const RigCalibration& rig, TakeKind kind, double sample_rate_hz) {
  return {.sample_rate_hz = sample_rate_hz,
          .measure_input = 0,
          .loopback_input = rests_on_sound(rig, kind) ? StreamSetup::kNoLoopback : 1,
          .hookup = kind == TakeKind::kImpedance ? Hookup::kImpedanceJig : Hookup::kMicrophone};
}

Result<Excitation> excitation_by_sound(const TakeRequest& r, const RigCalibration& rig) {
  return SweepSpec::make_synchronised({r.start_hz, std::min(r.stop_hz, 0.48 * r.sample_rate_hz),
                                       r.duration_s, r.sample_rate_hz})
      .and_then([&](const SweepSpec& spec) {
        return amplitude_for(r.drive_v, rig).map([&](double amplitude) {
          Stimulus s{spec.start_hz(), spec.stop_hz(), spec.duration_s(), kQuiet_s, amplitude};
          if (rig.time == TimeBase::kChirps) s.chirps.count = kUsualChirps;
          const double around_s = s.chirps.length_s();
          s.lead_in_s += around_s;
          s.repeats = std::max(1, r.repeats);
          if (s.repeats > 1) s.period_s = s.duration_s + 2.0 * around_s + kTail_s + kQuiet_s;
          const bool second = s.chirps.count > 0 && rig.chirps_by_second;
          auto played = played_samples(s, r.sample_rate_hz, kTail_s, second ? 2 : 1);
          return Excitation{spec, std::move(played.front()), s,
                            second ? std::move(played.back()) : std::vector<double>()};
        });
      });
}

void make_heard(Take& take, const Stimulus& stimulus, const RigCalibration& rig,
                double sample_rate_hz) {
  Conditions& c = take.conditions;
  take.form = RawForm::kSweepFile;
  take.sample_rate_hz = sample_rate_hz;
  take.raw_name = take.name + ".wav";
  std::replace(take.raw_name.begin(), take.raw_name.end(), '/', '-');
  c.stimulus = stimulus;
  c.channel = 0;
  c.loopback_channel = -1;
  c.chirp_distance_m = rig.chirp_distance_m;
  // The sweep's own units are volts over the output's full scale.
  c.pa_per_v = rig.level_known ? rig.input_pa_per_unit / rig.output_v_per_unit : 0.0;
}

std::vector<Remark> check_heard(const Recording& recording, const Take& take) {
  std::vector<Remark> remarks;
  const Clipping clipping = find_clipping(recording.measured);
  tell_clipping(clipping, {}, "microphone", remarks);
  const Conditions& c = take.conditions;
  const double split_s = 0.3 * c.stimulus.duration_s;
  const auto heard =
      heard_take(recording.measured, recording.sample_rate_hz, c, split_s, take.raw_name, {});
  if (!heard || heard->found == 0) {
    remarks.push_back(no_sweep("Nothing of the sweep arrives at the microphone input."));
    return remarks;
  }
  if (!sweep_in(*heard).stands_out) {
    remarks.push_back(no_sweep("The sweep is hardly found in what the microphone heard."));
    return remarks;
  }
  if (heard->found < c.stimulus.repeats)
    remarks.push_back({Weight::kRefusal, "lost-samples",
                       fmt::format("Of {} sweeps {} are heard.", c.stimulus.repeats, heard->found),
                       "Wait until it is quiet and take it again."});
  if (c.stimulus.chirps.count > 0 && !heard->by_chirps)
    remarks.push_back(
        {Weight::kDoubt, "reference-missing",
         "The reference chirps are not heard: this take has no time in common with others.",
         "Check the loudspeaker that plays them, and its output."});
  if (clipping.clipped_count == 0) {
    if (auto remark = spoiled(*heard)) remarks.push_back(*std::move(remark));
  }
  tell_level(*heard, recording.sample_rate_hz, remarks);
  return remarks;
}

}  // namespace lalometer
