#pragma once

#include <span>
#include <vector>

#include "acoustics/signal/impulse_response.h"
#include "acoustics/signal/sweep.h"

/// Recordings by a device with a clock of its own, started and stopped by hand.
namespace lalometer {

/// A sweep somewhere in a recording.
struct HeardSweep {
  /// Where it starts as it is heard: latency and flight of its loudest part are in. To a few ms.
  double at_sample;
  double level_db;  ///< of its pulse's top, re the loudest sweep of the recording
};

/// All sweeps of one kind in a recording of any length, in order. The recording is compressed by
/// the sweep in blocks; a sweep becomes a pulse, talk and doors are spread over the sweep's length.
/// A pulse counts that stands 24 dB above the middle of its surroundings (some 60 are usual), 10
/// above what lies within a tenth of the sweep (reference chirps and pips are no pulse but a hill),
/// and
/// not more than 40 dB below the loudest; two cannot lie closer than 0.9 of the sweep's duration,
/// so that harmonics are none. Where nothing stands out, what lies
/// below 500 Hz is looked at alone: a subwoofer's. A clock that is 300 ppm off spreads the pulse by
/// less than a thousandth of the sweep.
[[nodiscard]] std::vector<HeardSweep> find_sweeps(std::span<const double> recording,
                                                  const SweepSpec& spec);

/// A stretch of a recording with one sweep, and the ideal sweep where it was excited: both equally
/// long, silence where the recording does not reach.
struct SweepStretch {
  std::vector<double> signal;
  std::vector<double> reference;
  std::size_t lead;  ///< index at which the sweep begins, or just before it
};
/// @param excited_at  in samples of the recording, may lie between two.
[[nodiscard]] SweepStretch stretch_around(std::span<const double> recording, const SweepSpec& spec,
                                          double excited_at, std::size_t before, std::size_t after);

/// The stretch of a recording around one sweep, compressed. t = 0: the sweep starts at `at_sample`.
/// @param spec  its rate may be that of a recorder's own clock: samples per second of the player.
/// @param at_sample  may lie between samples.
/// @param before_s, after_s  told apart around t = 0; outside the recording there is silence.
[[nodiscard]] ImpulseResponse compressed(std::span<const double> recording, const SweepSpec& spec,
                                         double at_sample, double before_s, double after_s);

}  // namespace lalometer
