#pragma once

#include <optional>
#include <string>

#include "book/description/description.h"
#include "workbench/taking/take_runner.h"

/// What keeps a run from harming a loudspeaker: what its drawing tells it stands, and what the
/// takes so far have shown. Whoever knows better plays by hand, one take at a time.
namespace lalometer {

/// The most that a take may be driven with.
struct DriveLimit {
  double highest_v = 0.0;
  std::string why;  ///< "the cone of woofer passes 6 mm at 24 Hz above it"
};

/// Over the take's band in its box, by the circuit of its description: the cone stays within one
/// and a half times its travel (where most suspensions end; common practice, no source) and the
/// voice coil within its power. Of a multitone three times the rms of all tones counts as the peak.
/// Nothing where neither travel nor power is told, or nothing can be computed.
[[nodiscard]] std::optional<DriveLimit> drive_limit(const Description& description,
                                                    const TakeRequest& request);

/// Why a series of drives should not be played louder than this take: THD over 10 % in some third
/// octave of the band it is judged in, or 3 dB lost against the lowest. Nothing: it may go on.
/// @param lowest  of the same place and series; may be the take itself.
[[nodiscard]] std::optional<std::string> enough(const TakeOutcome& lowest, const TakeOutcome& now,
                                                const RigCalibration& rig);

}  // namespace lalometer
