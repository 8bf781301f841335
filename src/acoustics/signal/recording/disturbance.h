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
  bool certain;           ///< false: one low third octave alone, where modes may beat
};

/// A loudspeaker answers a sweep at its frequency and at multiples of it, and a room lets that die
/// away, for seconds if it is live. Short spectra (4096 samples, Blackman-Harris) are looked at in
/// third octaves, where the sweep has been or cannot be yet (above eight times its frequency). A
/// disturbance is what lies there 15 dB over the silence before the sweep, within 40 dB of the
/// sweep's own level, and, where the sweep has been, 15 dB over all that has sounded there since
/// (less half of how quickly the band has died away so far, and at least 20 dB a second, as the
/// most live rooms do): what rises, never what dies away slowly. A door, a cough, a lorry.
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
