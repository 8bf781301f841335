#pragma once

#include <optional>
#include <span>

#include "acoustics/signal/impulse_response.h"
#include "acoustics/spectrum/response.h"

namespace lalometer {

/// What steady noise becomes in a transfer function that is deconvolved from a recording: its rms
/// in third octaves, per root of the gate's length in seconds. Times the root of the gate's length
/// it is the level below which a gated curve means nothing.
///
/// Noise of the density S (two-sided, per Hz) gives a transform over the time T the mean power
/// S T rate^2; divided by the reference's spectrum R that is S T rate^2 / |R|^2, spread evenly over
/// the recording, of which the gate keeps its share (Parseval).
///
/// @param silence    of the recording, before the excitation; at least 50 ms, else nothing.
/// @param reference  what the recording is divided by.
/// @param excited    the result's range, third octaves from 20 Hz on that hold at least three lines
///                   of the silence.
[[nodiscard]] std::optional<Response> noise_density(std::span<const double> silence,
                                                    std::span<const double> reference,
                                                    double sample_rate_hz,
                                                    const ValidRange& excited);

/// The same density from a stretch of the impulse response itself, between two times on its clock,
/// where nothing but noise is left.
/// @return nothing where the stretch is shorter than 50 ms.
[[nodiscard]] std::optional<Response> noise_within(const ImpulseResponse& response, double from_s,
                                                   double to_s, Quantity quantity);

}  // namespace lalometer
