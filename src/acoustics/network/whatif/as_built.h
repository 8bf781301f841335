#pragma once

#include <optional>
#include <string>
#include <vector>

#include "acoustics/network/whatif/network_sum.h"

namespace lalometer {

/// A network as it was built and measured, against what was drawn.
struct BuiltTakes {
  std::optional<Response> sound = std::nullopt;  ///< the whole on the axis, 2.83 V
  std::optional<Response> load = std::nullopt;   ///< its impedance at the amplifier's terminals
};

/// One way in which a builder may have gone wrong.
struct BuiltOtherwise {
  std::string what;  ///< "tweeter is turned round", "C1 of tweeter is missing", ...
  DesignedNetwork network;
  double misfit = 0.0;       ///< of the takes against it, in units of what takes differ by
  double probability = 0.0;  ///< among all that were tried
  double level_off_db = 0.0;
};
struct AsBuilt {
  double misfit = 0.0;  ///< against the drawing
  bool as_drawn = false;
  /// Measured less foretold, as drawn or with what fits best: rig, drive, distance.
  double level_off_db = 0.0;
  std::vector<BuiltOtherwise> otherwise;  ///< the most probable first; those under 2 % left out
  std::string told;
};
/// Tries every single mistake of the usual kinds: a driver turned round, a part missing, bridged,
/// or of a tenth to ten times its value, two parts of a kind swapped, drivers swapped; each
/// predicted in full and held against the takes: levels after a level fit within 0.7 dB, impedances
/// within 3 % (usual repeats with everything taken apart between, common practice). Rows of one
/// third of an octave count once. Error: neither take, or as network_sum.
[[nodiscard]] Result<AsBuilt> as_built(const DesignedNetwork& network,
                                       const std::vector<NetworkDriver>& drivers,
                                       const BuiltTakes& takes);

}  // namespace lalometer
