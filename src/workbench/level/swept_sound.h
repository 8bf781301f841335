#pragma once

#include <cstddef>
#include <stop_token>
#include <vector>

#include "acoustics/signal/sweep.h"
#include "workbench/results/impulse_stage.h"

namespace lalometer {

/// A recorded sweep as the microphone heard it, and where it lies in the recording.
struct SweptSound {
  std::vector<double> measured;  ///< recorded units
  SweepSpec spec;                ///< on the recorder's clock
  double arrives_at = 0.0;       ///< of its beginning at the microphone, samples
  std::size_t silence_from = 0;  ///< of what was recorded before it
  std::size_t silence_count = 0;
};
/// Of a take that holds_sweep(); of repeats the first one.
[[nodiscard]] Result<SweptSound> swept_sound(const AnalysisInput& input, const ImpulseStage& stage,
                                             std::stop_token stop);

}  // namespace lalometer
