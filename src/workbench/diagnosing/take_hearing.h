#pragma once

#include <optional>
#include <string>
#include <vector>

#include "acoustics/decay/ridges.h"
#include "acoustics/spectrum/response.h"
#include "workbench/results/take_results.h"

/// What of a take costs more than its curve, and is the same whatever other takes there are: so
/// that it can be kept, and made side by side.
namespace lalometer {

/// What a recorded sweep holds beside the sweep, in words of the checks: "mains-hum" or "noise" in
/// the silence before it, "clipping". Nothing of a take that is no recorded sweep.
[[nodiscard]] std::vector<std::string> heard_beside(const AnalysisInput& recording,
                                                    const ImpulseStage& stage);

/// Of a response on the axis.
struct HeardOnAxis {
  /// What rings on; nothing where it cannot be looked for: without phase, or over less than an
  /// octave.
  std::optional<std::vector<Ridge>> ridges = std::nullopt;
  /// Levels of the second and the third harmonic of a recorded sweep over the frequency at which
  /// they are heard, valid on the longest stretch where they stand out of their noise.
  std::vector<Response> harmonics = {};
};
/// @param stage  of a recording or an impulse response; may be null, as its rig
[[nodiscard]] HeardOnAxis heard_on_axis(const Take& take, const Response& curve,
                                        const ImpulseStage* stage, const RigCalibration* rig);

/// The same as results of a take that are kept. Precondition: has_impulse(inputs.take).
[[nodiscard]] Node<std::vector<std::string>> heard_beside_node(const TakeInputs& inputs);
[[nodiscard]] Node<HeardOnAxis> heard_on_axis_node(const TakeInputs& inputs);

}  // namespace lalometer
