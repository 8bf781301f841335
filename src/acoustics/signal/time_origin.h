#pragma once

#include <string_view>

namespace lalometer {

/// When a curve's phase is zero and its gate begins, and who says so.
struct TimeOrigin {
  enum class Source {
    kTape,       ///< excitation plus the told distance at the speed of sound
    kReference,  ///< chirps that were played around the sweep
    kOnset,      ///< the arrival as it was found in the sound
    kFile,       ///< whoever wrote the curve
    kNone,       ///< no time at all: an impedance
  };
  double at_s = 0.0;  ///< on the impulse's clock
  Source source = Source::kNone;
};
/// Whether the phases of takes that say so may be added to one another's: they rest on one clock
/// that nothing but the sound's way lies behind.
[[nodiscard]] inline bool is_common_time(const TimeOrigin& origin) {
  return origin.source == TimeOrigin::Source::kTape ||
         origin.source == TimeOrigin::Source::kReference;
}
/// "distance", "reference", "onset", "file", "none".
[[nodiscard]] std::string_view word_of(TimeOrigin::Source source);

}  // namespace lalometer
