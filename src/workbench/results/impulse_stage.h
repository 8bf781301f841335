#pragma once

#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "acoustics/signal/checks/arrival.h"
#include "acoustics/signal/clocks/clock_drift.h"
#include "acoustics/signal/impulse_response.h"
#include "acoustics/signal/time_origin.h"
#include "acoustics/spectrum/response.h"
#include "book/book.h"

namespace lalometer {

/// All that a take's curve depends on; its hash names the result.
struct AnalysisInput {
  Take take;
  std::vector<std::byte> raw;
  RigCalibration rig;
  Recipe recipe;
};

/// The costly first half of a response: its impulse response and when what arrives. Does not depend
/// on the recipe, so dragging the gate does not deconvolve again.
struct ImpulseStage {
  /// Pa per sample at the drive, the microphone's own response out, or as the file holds it. From
  /// before the sweep's tenth harmonic to the end of the recording: harmonics and decay are read
  /// from it too. Never null.
  std::shared_ptr<const ImpulseResponse> impulse;
  double top_hz =
      0.0;  ///< highest frequency within 10 dB of the loudest; 0 where nothing stands out
  double arrival_s = 0.0;  ///< as found; as the distance tells where nothing stands out
  TimeOrigin origin = {};
  std::optional<double> first_reflection_s = std::nullopt;
  std::vector<LateSound> later = {};  ///< the first reflection and what comes after it
  bool calibrated = true;
  std::vector<std::string> notes = {};
  /// What ungated curves are made of: the whole response as it was deconvolved, the factor that
  /// brings it to the drive, what is to be taken out of it, and its second harmonic's lead.
  std::shared_ptr<const ImpulseResponse> uncut = nullptr;
  double factor = 1.0;
  std::vector<Response> corrections = {};
  double harmonics_s = 0.0;
  /// Of recordings that hold a silence before the sweep: what its noise becomes in a curve, per
  /// root of the gate's seconds, in the impulse's unit.
  std::optional<Response> noise = std::nullopt;
  RepeatSpread repeats = {};
  /// Of sound files without a loopback.
  int sweeps_found = 0;
  std::optional<ClockDrift> drift = std::nullopt;
  bool start_known = true;  ///< false: arrival and origin count from the pulse's own top
  bool phase_open = false;  ///< two clocks, whose drift is not known well enough to tell a phase
  double recorded_s = 0.0;  ///< what an ungated curve gathers noise of

  /// Where a gate begins: at the origin, or where sound is heard before it.
  [[nodiscard]] double gate_start_s() const {
    // Reference chirps may come from anywhere.
    return origin.source == TimeOrigin::Source::kReference ? arrival_s
                                                           : std::min(arrival_s, origin.at_s);
  }
};

/// Deconvolves, finds arrival and reflection, takes the microphone out.
/// With a loopback (or a file whose excitation is told) and a distance, both start the gate and the
/// phase, as long as the found arrival agrees to 0.25 m or a quarter of the shortest period;
/// without, the onset does.
[[nodiscard]] Result<ImpulseStage> impulse_stage(const AnalysisInput& input, std::stop_token stop);
/// A recording's impulse response as it is, loopback divided out, `before_s` of it before t = 0 (0:
/// a quarter).
[[nodiscard]] Result<ImpulseResponse> recorded_impulse(const AnalysisInput& in,
                                                       const UnpackedRecording& recording,
                                                       double before_s, std::stop_token stop);
/// Whether a take has an impulse response: responses that were recorded or came as sound.
[[nodiscard]] bool has_impulse(const Take& take);

}  // namespace lalometer
