#pragma once

#include <string>
#include <vector>

#include "base/result.h"
#include "book/description/description.h"
#include "book/records.h"
#include "diagnosis/material.h"
#include "workbench/results/analysis.h"

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
  /// Of a recorded sweep: what its silence holds is looked at; null: it is not.
  const AnalysisInput* recording = nullptr;
};

/// @return an error where the drawing cannot be. Kinds of takes that tell nothing here are left
/// out.
[[nodiscard]] Result<CaseMaterial> case_material(const Description& description,
                                                 const std::string& where,
                                                 const std::vector<DiagnosedTake>& takes,
                                                 std::vector<CaseVariant> variants = {});

}  // namespace lalometer
