#pragma once

#include "workbench/taking/take_runner.h"

namespace lalometer {

/// What the samples say: clipping, level, signal-to-noise per octave, loopback, lost or doubled
/// samples.
[[nodiscard]] std::vector<Remark> check_recording(const Recording& recording,
                                                  const Excitation& excitation, TakeKind kind);

}  // namespace lalometer
