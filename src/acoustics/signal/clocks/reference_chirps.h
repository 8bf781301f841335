#pragma once

#include <optional>
#include <span>
#include <vector>

/// Short chirps at known times before and after a sweep, played by the same player: by a second
/// loudspeaker that stays where it is, or by the tweeter that is measured. They tell when the sweep
/// was played, and how far the recorder's clock runs off, without a loopback.
namespace lalometer {

struct ChirpTrain {
  int count = 0;  ///< before each sweep, and as many after it; 0: none
  double start_hz = 2000.0;
  double stop_hz = 12000.0;
  double duration_s = 0.03;  ///< of one
  double period_s = 0.25;    ///< from one's start to the next one's
  double gap_s = 0.4;        ///< silence between them and the sweep, before and after

  /// From the first chirp's start to the sweep's; from the sweep's end to the last chirp's.
  [[nodiscard]] double length_s() const {
    return count > 0 ? gap_s + (count - 1) * period_s + duration_s : 0.0;
  }
  friend bool operator==(const ChirpTrain&, const ChirpTrain&) = default;
};

/// Starts of all chirps around one sweep, s from the sweep's own start; those before it first.
[[nodiscard]] std::vector<double> chirp_starts_s(const ChirpTrain& train, double sweep_s);

/// One chirp: the frequency rises linearly, cosine fades over a fifth of it, peak 1.
/// @param offset_samples  its start after the first sample, 0 <= offset < 1.
[[nodiscard]] std::vector<double> chirp(const ChirpTrain& train, double sample_rate_hz,
                                        double offset_samples = 0.0);

struct HeardChirps {
  /// Where the sweep began by the player's clock, in samples of the recording, if the chirps' sound
  /// had no way to go: their flight time is still in it.
  double sweep_at = 0.0;
  double deviation_samples = 0.0;  ///< of that, without what the room does alike each time
  double drift_ppm = 0.0;          ///< recorder against player
  double uncertainty_ppm = 0.0;    ///< half-width of the 95 % interval
  /// Samples that are missing between the chirps before and those after, that is in the sweep;
  /// below 0: doubled. Nothing where none are.
  std::optional<double> missing = std::nullopt;
};

/// Chirps around a sweep. Each is correlated with the first one as it was heard, so that the room
/// moves no time; their direct sound is the earliest top of at least half the highest. A line
/// through their places tells drift and start. A step between the two trains that the drift within
/// them does not explain (over 0.4 samples and four deviations) is samples lost or doubled.
/// @param sweep_at  where the sweep is heard, to 60 ms (find_sweeps()).
/// @param sweep_s   its duration on the player's clock.
/// Nothing where fewer than two chirps before or after stand 12 dB above their surroundings.
[[nodiscard]] std::optional<HeardChirps> hear_chirps(std::span<const double> recording,
                                                     double sample_rate_hz, const ChirpTrain& train,
                                                     double sweep_s, double sweep_at);

}  // namespace lalometer
