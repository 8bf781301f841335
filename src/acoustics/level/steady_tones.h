#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <vector>

#include "acoustics/level/harmonics.h"
#include "base/result.h"

/// Single tones one after the other, each long enough for loudspeaker and room to settle.
namespace lalometer {

struct SteadyTonesWish {
  double low_hz = 20.0;
  double high_hz = 20000.0;
  double tones_per_octave = 6.0;  ///< 3 to 24
  double sample_rate_hz = 48000.0;
};

/// One tone, in samples from the beginning of the first one.
struct SteadyTone {
  double frequency_hz = 0.0;
  std::size_t from = 0;
  std::size_t read_from = 0;  ///< settled: the longer of 0.2 s and 8 periods after its beginning
  std::size_t count = 0;      ///< read: the longer of 0.15 s and 12 periods
  std::size_t to = 0;         ///< its end, 30 ms after what is read
};
struct SteadyTones {
  double sample_rate_hz = 48000.0;
  std::vector<SteadyTone> tones;

  [[nodiscard]] std::size_t length() const { return tones.empty() ? 0 : tones.back().to; }
  [[nodiscard]] std::vector<double> tones_hz() const;
};

/// Rising, evenly spaced over log f. Refused: less than two tones, more than 24 an octave, or past
/// 0.45 of the rate.
[[nodiscard]] Result<SteadyTones> steady_tones(const SteadyTonesWish& wish);
/// The same schedule by the frequencies alone, as a take keeps them.
[[nodiscard]] Result<SteadyTones> steady_schedule(std::vector<double> tones_hz,
                                                  double sample_rate_hz);
/// Sines of peak 1, each raised and lowered over 10 ms and no click between them.
[[nodiscard]] std::vector<double> steady_signal(const SteadyTones& tones);

/// A recording of them.
struct SteadyRecording {
  std::span<const double> measured;
  std::span<const double> loopback = {};  ///< empty: levels are in the recording's own unit
  double sample_rate_hz = 48000.0;
  double starts_at = 0.0;  ///< of the first tone at the microphone, samples
  double flight_s = 0.0;   ///< from the loopback to the microphone: taken out of the phase
  /// Of the recorder's clock, over the player's.
  double recorder_rate = 1.0;
};

struct SteadyReading {
  Harmonics harmonics;  ///< over the tones; per unit of the loopback's amplitude, or amplitudes
  /// Second half of what was read less the first, dB: had it settled, and does it warm up?
  std::vector<double> drift_db;
};

/// Each tone's orders through a Blackman-Harris window (-92 dB), at the very frequencies, and the
/// noise beside them at six places five to eight lines away. Order n is valid up to 0.45 of the
/// rate over n.
/// @param corrections  to be taken out, at the order's own frequency.
/// @param unit  of the recording: what its 1 is, or its ratio to the loopback.
/// @param wish  the microphone's own distortion; its points and smoothing are those of sweeps.
[[nodiscard]] Result<SteadyReading> read_steady_tones(const SteadyRecording& recording,
                                                      const SteadyTones& tones,
                                                      const std::vector<Response>& corrections = {},
                                                      double unit = 1.0,
                                                      const HarmonicsWish& wish = {});

/// The first tone whose phase jumps while it is read: samples are missing there, or come twice.
/// Between two tones nothing of that matters. @param channel  a wire's: nothing else stands in it.
[[nodiscard]] std::optional<double> broken_tone_hz(std::span<const double> channel,
                                                   double sample_rate_hz, const SteadyTones& tones,
                                                   double starts_at);

/// Where the first tone begins in a recording that does not tell: by its likeness to what was
/// played. Samples; also the recorder's clock by the tones' own phases.
struct SteadyStart {
  double at = 0.0;
  double recorder_rate = 1.0;
  double likeness = 0.0;  ///< 0 to 1: under 0.3 they are not there
};
[[nodiscard]] SteadyStart find_steady_tones(std::span<const double> signal, double sample_rate_hz,
                                            const SteadyTones& tones);

}  // namespace lalometer
