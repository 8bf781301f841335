#include "workbench/taking/rig_trial.h"

#include <algorithm>
#include <cmath>

#include "acoustics/signal/recording/recording_checks.h"
#include "base/text.h"
#include "workbench/results/impulse_stage.h"

namespace lalometer {
namespace {

using Can = RigAbility::Can;

RigAbility time_ability(const RigCalibration& rig) {
  switch (rig.time) {
    case TimeBase::kLoopback:
      return {"Distance, arrival", Can::kYes, "The loopback hears when the sweep is played."};
    case TimeBase::kChirps:
      return rig.chirp_distance_m > 0.0
                 ? RigAbility{"Distance, arrival", Can::kYes,
                              "By the reference chirps, less their own way."}
                 : RigAbility{"Distance, arrival", Can::kPartly,
                              "Against one another only: how far the chirps' loudspeaker stands "
                              "is not told."};
    case TimeBase::kNone:
      break;
  }
  return {"Distance, arrival", Can::kNo, "Nothing tells when the sweep was played."};
}

RigAbility phase_ability(const RigCalibration& rig) {
  constexpr const char* kWhat = "Drivers, angles and near fields added in phase";
  if (rig.time == TimeBase::kLoopback) return {kWhat, Can::kYes, "All takes have one clock."};
  if (rig.time == TimeBase::kChirps)
    return {kWhat, Can::kYes, "As long as the chirps' loudspeaker and the microphone stay."};
  return {kWhat, Can::kNo,
          "Each take begins at its own onset. Reference chirps or a loopback would tell."};
}

RigAbility loss_ability(const RigCalibration& rig) {
  constexpr const char* kWhat = "Lost samples are seen";
  if (rig.time == TimeBase::kNone)
    return {kWhat, Can::kPartly, "Single ones only among four repeats or more."};
  return {kWhat, Can::kYes,
          rig.time == TimeBase::kLoopback ? "By the loopback." : "By the chirps."};
}

double peak_db(const Recording& r) {
  return 20.0 * std::log10(std::max(peak_of(r.measured), 1e-10));
}

}  // namespace

std::vector<RigAbility> abilities_of(const RigCalibration& rig, int input_count) {
  std::vector<RigAbility> all;
  all.push_back({"Shape of a response, distortion, decay", Can::kYes, "Always."});
  all.push_back(rig.level_known
                    ? RigAbility{"Level in dB SPL, sensitivity", Can::kYes,
                                 "Microphone and amplifier are calibrated."}
                    : RigAbility{"Level in dB SPL, sensitivity", Can::kNo,
                                 "Levels are relative until a calibrator and a voltmeter, or the "
                                 "microphone's file, tell them."});
  all.push_back(time_ability(rig));
  all.push_back(phase_ability(rig));
  all.push_back(input_count >= 2
                    ? RigAbility{"Impedance", Can::kYes, "With the jig on two inputs."}
                    : RigAbility{"Impedance", Can::kNo,
                                 "The jig needs two inputs: a stereo line input will do."});
  all.push_back(loss_ability(rig));
  return all;
}

Result<RigTrial> try_rig(AudioDevice& device, const RigCalibration& rig, double sample_rate_hz,
                         std::stop_token stop) {
  TakeRequest soft;
  soft.name = "trial";
  soft.sample_rate_hz = sample_rate_hz;
  soft.start_hz = 200.0;
  soft.stop_hz = std::min(20000.0, 0.45 * sample_rate_hz);
  soft.duration_s = 0.5;
  soft.drive_v = 0.283;
  auto outcome = run_take(device, rig, soft, stop, {});
  if (!outcome) return tl::unexpected(outcome.error());
  RigTrial trial;
  trial.remarks = outcome->take.remarks;
  trial.good = outcome->accepted;
  trial.seen.push_back(
      fmt::format("The microphone input peaks at {:.0f} dB re full scale; at 2.83 "
                  "V it would at {:.0f}.",
                  peak_db(outcome->recording), peak_db(outcome->recording) + 20.0));
  if (!outcome->recording.one_clock)
    trial.seen.push_back(fmt::format("The inputs are a device of their own, at {:g} kHz.",
                                     outcome->recording.sample_rate_hz / 1e3));
  const auto stage = impulse_stage({outcome->take, raw_of(*outcome).bytes, rig, {}}, stop);
  if (!stage) {
    if (stop.stop_requested()) return cancelled();
    trial.good = false;
  } else {
    if (stage->drift)
      trial.seen.push_back(fmt::format("Clocks: the inputs run {:.1f} ± {:.1f} ppm off the output.",
                                       stage->drift->ppm, stage->drift->uncertainty_ppm));
    trial.seen.push_back(fmt::format("Time by: {}.", word_of(stage->origin.source)));
  }
  if (trial.good && peak_db(outcome->recording) + 20.0 > -1.0) {
    trial.good = false;
    trial.verdict = "Turn the input gain down: at 2.83 V it would clip.";
  } else if (trial.good) {
    trial.verdict = "This rig is fit to measure with.";
  } else if (!trial.remarks.empty()) {
    const Remark& last =
        *std::find_if(trial.remarks.begin(), trial.remarks.end(), [&](const Remark& r) {
          return r.weight == Remark::Weight::kRefusal || &r == &trial.remarks.back();
        });
    trial.verdict = last.text + " " + last.advice;
  } else {
    trial.verdict = stage ? "The take was refused." : stage.error().message;
  }
  return trial;
}

}  // namespace lalometer
