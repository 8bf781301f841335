#pragma once

#include <optional>
#include <vector>

#include "acoustics/signal/impulse_response.h"
#include "acoustics/signal/recording/recording_checks.h"

namespace lalometer {

/// A sound that comes after the direct one.
struct LateSound {
  double time_s;    ///< on the impulse response's own clock
  double level_db;  ///< re the direct sound, in the band that tells something
};

/// When the direct sound comes.
struct Arrival {
  double time_s;  ///< on the impulse response's own clock (t = 0 at zero_at)
  double top_hz;  ///< highest frequency within 10 dB of the loudest third of an octave
  double peak;    ///< largest magnitude of the whole response
  /// First reflection after it, on the same clock; nothing where none stands out.
  std::optional<double> first_reflection_s;
  /// All that stand out after it, the first reflection in front; six at most.
  std::vector<LateSound> later = {};
};

/// Arrival of the direct sound: the delay that, taken out, leaves a minimum-phase response. Found
/// as the peak of the response after it was divided by the minimum-phase system of its own
/// magnitude (third-octave smoothed, so that a reflection's comb does not count as the
/// loudspeaker's own; continued beyond the band that tells something as its ends go). That is the
/// loudspeaker's true delay and not the top of its low-passed pulse, to a fraction of a sample for
/// one driver, and to a twentieth of the period of `top_hz` for a subwoofer; with a crossover it is
/// the delay of the highest-reaching driver (the first top of at least half the largest). The
/// stretch that is looked at grows with the period of `top_hz`.
///
/// A reflection is the first later peak of the same divided response, less the pulse that the
/// direct sound's own band makes at the arrival (a narrow band's swings to a tenth of its top), at
/// least `earliest_reflection_s` and the pulse's own width after the arrival, and above a tenth of
/// it, its own undershoot, and six times the middle level around it.
///
/// Nothing where there is no pulse: peak less than 12 dB above the mean level of the whole
/// response, unless nearly all of it lies within the stretch.
/// @param known  of all samples, where whoever read them has heard it.
[[nodiscard]] std::optional<Arrival> find_arrival(const ImpulseResponse& response,
                                                  double earliest_reflection_s = 0.0008,
                                                  const std::optional<Loudest>& known = {});

}  // namespace lalometer
