#pragma once

#include <cstddef>
#include <optional>
#include <span>

#include "acoustics/signal/sweep.h"

namespace lalometer {

/// Result of following a sweep through a channel that should carry it unaltered (the loopback).
struct SweepTrack {
  bool present = false;        ///< the sweep is there at all (correlates by more than a fifth)
  double latency_samples = 0;  ///< of its upper part, re the stimulus' own clock
  /// Samples lost (positive) or doubled, and where; 0 where the channel runs on.
  double slip_samples = 0.0;
  double slip_at_hz = 0.0;
  /// Largest share of a stretch's energy that a smooth channel does not explain, and where.
  double worst_unexplained = 0.0;
  double unexplained_at_hz = 0.0;
  /// Between the loudest and the softest stretch, dB.
  double gain_spread_db = 0.0;
  [[nodiscard]] bool continuous() const { return slip_samples == 0.0 && worst_unexplained < 0.02; }
  /// Where it breaks; precondition: it does.
  [[nodiscard]] double broken_at_hz() const {
    return slip_samples != 0.0 ? slip_at_hz : unexplained_at_hz;
  }
};

/// Follows the sweep in pieces of a sixth of an octave, from 30 Hz (or twice its start) to 0.35 of
/// the rate: above, a converter's own filter works, and breaks are looked for sample by sample
/// (find_sweep_kink()), as they are below.
///
/// Within a piece amplitude and phase may bend (a parabola over log f, fitted by least squares):
/// what that leaves unexplained is no channel. A real channel's phase is an odd function of
/// frequency: a delay, coupling capacitors (odd powers of 1/f), filters of whatever kind (odd
/// powers of f), and that is fitted to the pieces. A lost or doubled sample shifts everything after
/// it: the same fit with a step of delay between two pieces explains it better. It counts from 0.6
/// samples on, where it stands out of its own uncertainty tenfold and leaves a tenth of the
/// squares.
/// @param stimulus_start  index in the recording at which the stimulus would start without latency.
[[nodiscard]] SweepTrack track_sweep(std::span<const double> recording, const SweepSpec& spec,
                                     std::size_t stimulus_start);

/// The sweep's latency alone, to the whole sample, without following it; nothing where it is not
/// there.
[[nodiscard]] std::optional<double> sweep_latency_samples(std::span<const double> recording,
                                                          const SweepSpec& spec,
                                                          std::size_t stimulus_start);

/// Where a loopback lost or doubled samples, Hz of the sweep: by the track, or by a kink in the
/// waveform, which a few samples at a low or a very high frequency leave.
/// @param unclipped  a clipped top is a kink too: only the track counts where there are some.
[[nodiscard]] std::optional<double> loopback_break_hz(std::span<const double> loopback,
                                                      const SweepTrack& track,
                                                      const SweepSpec& spec,
                                                      std::size_t stimulus_start, bool unclipped);

}  // namespace lalometer
