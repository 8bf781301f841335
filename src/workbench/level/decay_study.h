#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "acoustics/decay/decay_map.h"
#include "acoustics/decay/ridges.h"
#include "workbench/results/impulse_stage.h"

namespace lalometer {

struct DecayWish {
  DecayMap::Kind kind = DecayMap::Kind::kCumulative;
  double gate_s = 0.0;  ///< 0: to the first reflection, or all that is there
  friend bool operator==(const DecayWish&, const DecayWish&) = default;
};

/// What is looked at where nobody says otherwise: the take's own gate, else the recipe's where it
/// has one; never a near field's, nor of the bass, which is the room's too.
[[nodiscard]] DecayWish usual_wish(const Take& take, const std::optional<Recipe>& recipe,
                                   DecayMap::Kind kind);

/// How one take dies away.
struct DecayReading {
  DecayMap map;  ///< dB re 20 uPa at the drive, or re the impulse's own unit
  std::vector<Ridge> ridges;
  DecaySpan span;  ///< that the ridges were looked for in
  bool calibrated = true;
  std::vector<std::string> notes = {};
};

/// The map's length: of cumulative decays 20 ms or the gate. Ridges are looked for in all that lies
/// before the first reflection; of bass in all that was recorded, the room with it.
[[nodiscard]] Result<DecayReading> decay_reading(const Take& take, const ImpulseStage& stage,
                                                 const DecayWish& wish = {});

/// A ridge of one that the other has too, or not.
struct RidgeChange {
  std::optional<Ridge> first, second;
  /// Decay of the second less that of the first; nothing where one is missing.
  std::optional<Estimate> longer_s = std::nullopt;
  bool real = false;  ///< more than both intervals explain
};
[[nodiscard]] std::vector<RidgeChange> ridge_changes(const std::vector<Ridge>& first,
                                                     const std::vector<Ridge>& second);
/// "longer at 60 Hz by 40 ms: real"; empty where nothing differs.
[[nodiscard]] std::string spoken(const RidgeChange& change);
[[nodiscard]] std::string spoken(const Ridge& ridge);

}  // namespace lalometer
