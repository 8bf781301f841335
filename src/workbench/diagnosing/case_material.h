#pragma once

#include <functional>
#include <string>
#include <vector>

#include "base/result.h"
#include "book/description/description.h"
#include "book/records.h"
#include "diagnosis/material.h"
#include "workbench/diagnosing/take_hearing.h"

/// A subject's drawing and takes as the diagnosis reads them.
namespace lalometer {

/// A take with its curve, and what of its recording is known.
struct DiagnosedTake {
  const Take* take = nullptr;
  std::string variant;  ///< its name or id, the same for all of one
  const Response* curve = nullptr;
  const ImpulseStage* stage = nullptr;  ///< of recordings and impulse responses
  double gate_s = 0.0;                  ///< 0: as the take tells it
  std::vector<std::string> notes = {};  ///< of its reading
  std::vector<std::string> heard = {};  ///< beside a recorded sweep, heard_beside()
  const RigCalibration* rig = nullptr;  ///< it was recorded with; null: not told
  const TakeInputs* inputs = nullptr;   ///< where its results are kept
};

/// How what is heard on the axis is come by: made now, or kept from before. Called of those takes
/// alone whose features are looked for, side by side.
using AxisHearing = std::function<HeardOnAxis(const DiagnosedTake&)>;
[[nodiscard]] HeardOnAxis heard_now(const DiagnosedTake& take);

/// @return an error where the drawing cannot be. Kinds of takes that tell nothing here are left
/// out.
[[nodiscard]] Result<CaseMaterial> case_material(const Description& description,
                                                 const std::string& where,
                                                 const std::vector<DiagnosedTake>& takes,
                                                 std::vector<CaseVariant> variants = {},
                                                 const AxisHearing& hear = heard_now,
                                                 const Parallel& parallel = in_turn);

}  // namespace lalometer
