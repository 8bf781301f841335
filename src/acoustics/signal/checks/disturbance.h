#pragma once

#include <optional>
#include <span>

#include "acoustics/signal/sweep.h"

namespace lalometer {

/// Sound in a sweep's recording that the sweep cannot have made.
struct Disturbance {
  double at_s;            ///< on the recording's clock
  double around_hz;       ///< where it stands out most
  double above_quiet_db;  ///< over the loudest moment of the silence before the sweep
};

/// A loudspeaker answers a sweep at its frequency and at multiples of it, and a room lets that die
/// away. Short spectra (4096 samples, Blackman-Harris) are looked at below what has sounded within
/// the last 0.35 s, and above eight times the present frequency; a third octave there that lies 15
/// dB over the silence before the sweep and within 40 dB of the sweep's own level is a disturbance:
/// a door, a cough, a lorry.
///
/// @param recording       with at least 0.1 s of silence before the sweep.
/// @param stimulus_start  index at which the sweep would stand without latency.
[[nodiscard]] std::optional<Disturbance> find_disturbance(std::span<const double> recording,
                                                          const SweepSpec& spec,
                                                          std::size_t stimulus_start);

/// Mains hum in the silence before a sweep: a comb at the mains' frequency and its multiples.
struct Hum {
  double mains_hz;  ///< 50 or 60
  double level;     ///< rms of the comb, in the recording's units
};
/// @param silence  at least 0.2 s. Nothing where no comb stands 10 dB over what lies between its
/// teeth.
[[nodiscard]] std::optional<Hum> find_hum(std::span<const double> silence, double sample_rate_hz);

}  // namespace lalometer
