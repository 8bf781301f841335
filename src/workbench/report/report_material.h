#pragma once

#include <memory>
#include <stop_token>

#include "base/progress.h"
#include "diagnosis/finding.h"
#include "workbench/answers/bass_answer.h"
#include "workbench/answers/impedance_answer.h"
#include "workbench/answers/level_answer.h"
#include "workbench/level/decay_study.h"
#include "workbench/results/impedance_reading.h"
#include "workbench/sharing/sources.h"
#include "workbench/spin/angle_set.h"

namespace lalometer {

/// An answer, or why there is none.
template <class Value>
struct Answered {
  std::shared_ptr<const Value> value = nullptr;
  Told told = {};
  std::string why_not = {};
  [[nodiscard]] explicit operator bool() const { return value != nullptr; }
};

struct BoxAnswer {
  Response impedance;
  ImpedanceReading reading;
  Take take;
};

/// All that a report is made of: what the commands tell of one variant of one subject.
struct ReportMaterial {
  ImportPreview preview;  ///< of the reported variant alone
  std::string where;      ///< path, for messages
  std::string subject, variant;
  Answered<NearAnswer> near;
  Answered<SpliceAnswer> splice;
  Answered<BoxAnswer> box;
  Answered<AngleReading> angles;
  Told horizontal = {}, vertical = {};  ///< as `directivity` tells them
  Answered<DecayReading> decay;
  Answered<LevelsReading> levels;
  std::shared_ptr<const DistortionReading> usual;  ///< the sweep nearest to 2.83 V
  Answered<Diagnosis> diagnosis;
  const ImportItem* ahead = nullptr;  ///< the response on the axis
};
/// @param source   as read, all variants; its items are taken out.
/// @param variant  id or name; empty: the one with most takes.
/// @return kCancelled on a stop; an error where nothing was read.
[[nodiscard]] Result<std::shared_ptr<const ReportMaterial>> report_material(
    ImportPreview source, const std::string& variant, const std::string& where,
    std::stop_token stop = {}, const Progress& progress = {}, const Parallel& parallel = in_turn);

}  // namespace lalometer
