#pragma once

#include <string>
#include <vector>

#include "acoustics/signal/checks/uncut.h"
#include "acoustics/signal/impulse_response.h"
#include "acoustics/spectrum/response.h"
#include "book/records.h"
#include "book/rig_calibration.h"

namespace lalometer {

/// The microphone's correction as it is taken out of a take.
///
/// - Where the sensitivity was taken with a calibrator, it holds at the calibrator's frequency with
///   all that the microphone does there: the correction counts from there on.
/// - A file in absolute levels (more than 10 dB off at 1 kHz) counts from 1 kHz on, and a note says
///   so.
/// - A file without phase gets its minimum phase: a microphone is a minimum-phase system in its
///   band (common practice, no source).
[[nodiscard]] std::optional<Response> applied_correction(const RigCalibration& rig,
                                                         std::vector<std::string>& notes);

/// A device's own response taken out of an impulse response, before any gate: a slope of the
/// microphone spreads in time, and a gate would cut that off. Outside the correction's range its
/// ends hold.
void take_out(const Response& correction, ImpulseResponse& h);
void take_out(const Response& correction, UncutSpectrum& spectrum);

/// Pascals per volt of a recorded sweep's units: by the rig that took it without a loopback, so
/// that a calibration that is mended holds; as its file tells it otherwise. 0: not told.
[[nodiscard]] double heard_pa_per_v(const Take& take, const RigCalibration& rig);

}  // namespace lalometer
