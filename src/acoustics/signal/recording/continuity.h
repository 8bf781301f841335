#pragma once

#include <cstddef>
#include <optional>
#include <span>

#include "acoustics/signal/impulse_response.h"
#include "acoustics/signal/sweep.h"

/// Whether a recorded sweep ran on without lost, doubled or disturbed samples, seen from the
/// recording itself: through a loudspeaker and a room, without a loopback.
namespace lalometer {

struct SweepBreak {
  double at_hz;         ///< what the sweep played there
  double at_s;          ///< on the recording's clock; of a step the middle between two bands
  double step_samples;  ///< how far later parts stand off, where that could be told; else 0
};

/// The first sign of a break, or nothing. Two ways to see one, each blind where the other sees:
///
/// 1. A sweep through any linear system is, over a few hundred samples, a handful of slowly
/// changing
///    sinusoids, which a predictor of 12 coefficients fitted to the stretch itself predicts down
///    to the noise. A break is one sample it does not predict: more than 9 robust deviations away
///    (Gaussian noise reaches 6 in a whole take), or six in a row of more than 4.5 rms (2.5), and
///    more than 0.3 % of the stretch's rms.
/// 2. A gap of whole periods keeps the waveform smooth, but from there on everything comes earlier
///    (or later): the arrival per half octave, read off the deconvolved response, takes a step of
///    at least 0.7 period that is six times its scatter on both sides.
///
/// What neither way sees: a kink under nine deviations of the noise (a few samples at a low
/// frequency, a frequency the room cancels). A loopback shows those (track_sweep()).
///
/// Stretches with clipped samples are looked at in the second way only.
///
/// @param recording       the take with its sweep; stimulus_start: index at which it would stand
///                        without latency. Only the sweep's own stretch is looked at.
[[nodiscard]] std::optional<SweepBreak> find_sweep_break(std::span<const double> recording,
                                                         const SweepSpec& spec,
                                                         std::size_t stimulus_start);
/// The same with the deconvolved response at hand; any clock of it will do.
[[nodiscard]] std::optional<SweepBreak> find_sweep_break(std::span<const double> recording,
                                                         const SweepSpec& spec,
                                                         std::size_t stimulus_start,
                                                         const ImpulseResponse& response);

/// The first way alone, for a loopback: there the noise is low enough that far smaller kinks count.
/// @param least_share  a kink's smallest size re the stretch's rms.
/// @param skipped_s    at the sweep's start, which is a break of its own.
/// @param unheard_s    at its end, likewise.
[[nodiscard]] std::optional<SweepBreak> find_sweep_kink(std::span<const double> recording,
                                                        const SweepSpec& spec,
                                                        std::size_t stimulus_start,
                                                        double least_share, double skipped_s,
                                                        double unheard_s);

}  // namespace lalometer
