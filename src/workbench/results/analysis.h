#pragma once

#include <complex>
#include <memory>
#include <optional>
#include <span>
#include <stop_token>

#include "acoustics/signal/checks/arrival.h"
#include "acoustics/signal/checks/gate.h"
#include "acoustics/signal/checks/uncut.h"
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

/// A take analysed: f(raw, recipe), never kept as truth.
struct Analysis {
  Response curve;  ///< Pa rms at the take's drive and distance, or ohm
  /// Of takes that have one: the impulse response in Pa per sample at the drive (or as the file
  /// holds it).
  std::shared_ptr<const ImpulseResponse> impulse = nullptr;
  double arrival_s = 0.0;  ///< on the impulse's clock; 0 where there is none
  std::optional<double> first_reflection_s = std::nullopt;
  std::optional<double> gate_s = std::nullopt;  ///< length in force; nothing where no gate applies
  bool calibrated = true;  ///< false: the level is re full scale, not re 20 uPa
  std::vector<std::string> notes;
};

/// Key of an analysis: SHA-256 over the raw data's hash, the conditions, the rig's calibration, the
/// recipe and the version of the computation.
[[nodiscard]] std::string analysis_key(const Take& take, const RigCalibration& rig,
                                       const Recipe& recipe);

/// Curves for reading: 20 Hz to 20 kHz (or as far as the data reach), 96 points per octave anchored
/// at 1 kHz.
[[nodiscard]] FrequencyAxis reading_axis(double low_hz, double high_hz);

/// The costly first half of a response: its impulse response and when what arrives. Does not depend
/// on the recipe, so dragging the gate does not deconvolve again.
struct ImpulseStage {
  /// Pa per sample at the drive, the microphone's own response out, or as the file holds it. From
  /// before the sweep's tenth harmonic to the end of the recording: harmonics and decay are read
  /// from it too. Never null.
  std::shared_ptr<const ImpulseResponse> impulse;
  double arrival_s = 0.0;
  double zero_s = 0.0;  ///< time that becomes phase zero
  std::optional<double> first_reflection_s;
  bool calibrated = true;
  std::vector<std::string> notes;
  /// What ungated curves are made of: the whole response as it was deconvolved, the factor that
  /// brings it to the drive, what is to be taken out of it, and its second harmonic's lead.
  std::shared_ptr<const ImpulseResponse> uncut = nullptr;
  double factor = 1.0;
  std::vector<Response> corrections = {};
  double harmonics_s = 0.0;
};
[[nodiscard]] Result<ImpulseStage> impulse_stage(const AnalysisInput& input, std::stop_token stop);
/// The second half: gate and smoothing.
[[nodiscard]] Analysis curve_stage(const ImpulseStage& stage, const Recipe& recipe);
/// Whether a take has an impulse response: responses that were recorded or came as sound.
[[nodiscard]] bool has_impulse(const Take& take);
/// Whether this version reads a curve out of it: false for multitones and kinds it does not know.
[[nodiscard]] bool has_curve(const Take& take);

/// Works a take out. Slow parts look at the token; a stop gives kCancelled.
[[nodiscard]] Result<Analysis> analysed(const AnalysisInput& input, std::stop_token stop = {});

/// A curve for a small picture: level in dB (or ohm on a log scale in dB) at `count` frequencies
/// evenly spaced over log f, 20 Hz .. 20 kHz; NaN where not valid.
[[nodiscard]] std::vector<float> miniature(const Response& curve, std::size_t count = 48);

}  // namespace lalometer
