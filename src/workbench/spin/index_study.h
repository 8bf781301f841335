#pragma once

#include <string>
#include <vector>

#include "acoustics/spin/spinorama.h"

namespace lalometer {

/// A bump or dip of a directivity index, and which circle makes it.
struct IndexFeature {
  bool early = false;  ///< of the early-reflections index; else of the sound power's
  double low_hz = 0.0;
  double high_hz = 0.0;
  double at_hz = 0.0;
  double height_db = 0.0;
  enum class In { kBoth, kHorizontal, kVertical } in = In::kBoth;
};

/// The same index of one circle's angles alone (the listening window stays) has at least half of a
/// feature, or has not. Rising in frequency; features of 0.7 dB and more.
[[nodiscard]] std::vector<IndexFeature> index_features(const Orbit& orbit, const Spinorama& spin);

/// "The bump of the early-reflections index at 2.1 kHz (+1.4 dB) is vertical only".
[[nodiscard]] std::string spoken(const IndexFeature& feature);

/// What would change the preference rating, and by how much.
struct RatingChange {
  std::string what;  ///< "the dip at 1.6 kHz (-2.1 dB) mended"
  double by;
};
/// Each departure of the listening window from its own run taken out of all curves alike, as a
/// filter would; and the bass half an octave deeper. Largest first, those of at least 0.05.
[[nodiscard]] std::vector<RatingChange> rating_changes(const Orbit& orbit, const Spinorama& spin,
                                                       const Preference& preference);

}  // namespace lalometer
