#pragma once

#include "workbench/taking/take_runner.h"

/// Takes that rest on the sound alone: no input hears the output, and the inputs may be a device of
/// their own with a clock of its own.
namespace lalometer {

/// Whether this rig takes it so. Impedances never: the jig's two inputs are one device.
[[nodiscard]] bool rests_on_sound(const RigCalibration& rig, TakeKind kind);

/// The stream that such a take or anything else of this rig needs: an interface with one input is
/// asked for no loopback.
[[nodiscard]] StreamSetup stream_of(const RigCalibration& rig, TakeKind kind,
                                    double sample_rate_hz);

/// What is played for it. Repeats lie in one recording, a told period apart: they tell the drift.
/// Around the sweep (each of them) stand the rig's reference chirps. No fades: the ideal sweep is
/// the reference.
[[nodiscard]] Result<Excitation> excitation_by_sound(const TakeRequest& request,
                                                     const RigCalibration& rig);

/// A take of a recording without loopback: how it is kept and read again (heard_take()).
void make_heard(Take& take, const Stimulus& stimulus, const RigCalibration& rig,
                double sample_rate_hz);

/// What the samples say: clipping, level, noise, sweeps and chirps that are missing, samples that
/// are lost or doubled, what sounded beside.
[[nodiscard]] std::vector<Remark> check_heard(const Recording& recording, const Take& take);

}  // namespace lalometer
