#pragma once

#include "acoustics/signal/recording/recording_checks.h"
#include "workbench/taking/take_runner.h"

namespace lalometer {

/// What the samples say: clipping, level, signal-to-noise per octave, loopback, lost or doubled
/// samples.
[[nodiscard]] std::vector<Remark> check_recording(const Recording& recording,
                                                  const Excitation& excitation, TakeKind kind);

/// Clipped samples, as remarks that refuse. @param input  "microphone", "jig".
void tell_clipping(const Clipping& measured, const Clipping& loopback, const char* input,
                   std::vector<Remark>& remarks);
/// Hum, and the signal over the noise of each band. @param signal  rms of the sounding part.
void tell_noise(std::span<const double> silence, std::span<const double> sounding, double signal,
                double sample_rate_hz, const SweepSpec& spec, std::vector<Remark>& remarks);

}  // namespace lalometer
