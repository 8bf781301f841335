#pragma once

#include "acoustics/signal/checks/gate.h"
#include "workbench/bass/join_study.h"
#include "workbench/results/impulse_stage.h"

namespace lalometer {

/// A take analysed: f(raw, recipe), never kept as truth.
struct Analysis {
  Response curve;  ///< Pa rms at the take's drive and distance, or ohm
  /// False: nobody knows when the sweep was played, and arrival and origin tell no flight.
  bool start_known = true;
  /// Of takes that have one: the impulse response in Pa per sample at the drive (or as the file
  /// holds it).
  std::shared_ptr<const ImpulseResponse> impulse = nullptr;
  double arrival_s = 0.0;  ///< on the impulse's clock; 0 where there is none
  TimeOrigin origin = {};
  std::optional<double> first_reflection_s = std::nullopt;
  std::vector<LateSound> later = {};
  std::optional<double> gate_s = std::nullopt;  ///< length in force; nothing where no gate applies
  /// Where the gate starts, on the impulse's clock.
  double gate_start_s = 0.0;
  /// Of recordings with a silence: rms of the noise in the curve, in its unit; third octaves.
  std::optional<Response> noise = std::nullopt;
  bool calibrated = true;  ///< false: the level is re full scale, not re 20 uPa
  /// Of a join: what it was made of, and how.
  std::shared_ptr<const NearFields> near = nullptr;
  std::shared_ptr<const JoinedResponse> joined = nullptr;
  std::vector<std::string> notes;
};

/// Key of an analysis: SHA-256 over the raw data's hash, the conditions, the rig's calibration, the
/// recipe and the version of the computation.
[[nodiscard]] std::string analysis_key(const Take& take, const RigCalibration& rig,
                                       const Recipe& recipe);

/// Curves for reading: 20 Hz to 20 kHz (or as far as the data reach), 96 points per octave anchored
/// at 1 kHz.
[[nodiscard]] FrequencyAxis reading_axis(double low_hz, double high_hz);

/// The second half: gate and smoothing.
[[nodiscard]] Analysis curve_stage(const ImpulseStage& stage, const Recipe& recipe);
/// Whether this version reads a curve out of it: false for multitones and kinds it does not know.
[[nodiscard]] bool has_curve(const Take& take);

/// Works a take out. Slow parts look at the token; a stop gives kCancelled.
[[nodiscard]] Result<Analysis> analysed(const AnalysisInput& input, std::stop_token stop = {});

/// A curve for a small picture: level in dB (or ohm on a log scale in dB) at `count` frequencies
/// evenly spaced over log f, 20 Hz .. 20 kHz; NaN where not valid.
[[nodiscard]] std::vector<float> miniature(const Response& curve, std::size_t count = 48);

}  // namespace lalometer
