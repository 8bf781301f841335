#pragma once

#include "workbench/level/decay_study.h"
#include "workbench/level/distortion_study.h"
#include "workbench/level/rub_study.h"
#include "workbench/level/tones_study.h"
#include "workbench/results/take_results.h"

namespace lalometer {

/// Precondition: tells_harmonics(inputs.take).
[[nodiscard]] Node<DistortionReading> distortion_node(const TakeInputs& inputs);
/// Precondition: holds_multitone(inputs.take).
[[nodiscard]] Node<MultitoneStudy> multitone_node(const TakeInputs& inputs);
/// Precondition: holds_sweep(inputs.take).
[[nodiscard]] Node<RubReading> rub_node(const TakeInputs& inputs);
/// Precondition: has_impulse(inputs.take). The gate is the recipe's where it has one.
[[nodiscard]] Node<DecayReading> decay_node(const TakeInputs& inputs, DecayMap::Kind kind);

/// Which readings somebody looks at; a sum of these.
enum TimeWant : unsigned {
  kWantDistortion = 1U,
  kWantCumulative = 2U,
  kWantBurst = 4U,
  kWantBass = 8U,
  kWantMultitone = 16U,
  kWantRub = 32U,
};

/// Whether such a take tells any of it.
[[nodiscard]] inline bool tells_time(const Take& take) {
  return has_impulse(take) || holds_multitone(take) || holds_steady_tones(take);
}

/// What a laid take tells of level and time.
struct LaidTime {
  std::shared_ptr<const DistortionReading> distortion = nullptr;
  std::shared_ptr<const DecayReading> cumulative = nullptr, burst = nullptr, bass = nullptr;
  std::shared_ptr<const MultitoneStudy> multitone = nullptr;
  std::shared_ptr<const RubReading> rub = nullptr;
  std::string key = {};
  std::string problem = {};  ///< why something is missing

  [[nodiscard]] const DecayReading* decay(DecayMap::Kind kind) const {
    return kind == DecayMap::Kind::kBurst  ? burst.get()
           : kind == DecayMap::Kind::kBass ? bass.get()
                                           : cumulative.get();
  }
  /// Any of the three: they hold the same ridges but for the bass.
  [[nodiscard]] const DecayReading* any_decay() const {
    return cumulative ? cumulative.get() : burst ? burst.get() : bass.get();
  }
};
/// All that is wanted of one take.
[[nodiscard]] Result<LaidTime> time_of(const TakeInputs& inputs, unsigned wanted,
                                       const Making& making);
/// Names it.
[[nodiscard]] std::string time_key(const TakeInputs& inputs, unsigned wanted);

}  // namespace lalometer
