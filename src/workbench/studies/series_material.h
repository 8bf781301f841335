#pragma once

#include <string>
#include <vector>

#include "workbench/sharing/importing.h"
#include "workbench/studies/comparison.h"

/// A comparison's members from takes.
namespace lalometer {

struct SeriesMaterial {
  std::vector<ComparedMember> members;
  ImpedanceRole role = ImpedanceRole::kDriver;
  std::optional<Response> free_air = std::nullopt;  ///< of the driver in the box
  std::vector<std::string> notes;
};

/// A take with its curve, analysed.
struct CurveOfTake {
  const Take* take;
  const Response* curve;
  std::string member_id;  ///< variant or sample; empty: belongs to none
  std::string member_name;
  double calibration_percent = kUsualCalibration_percent;  ///< of an impedance's rig
  std::string member_changed = {};                         ///< what the variant says of itself
};
/// Groups curves by member: responses on the axis, brought to 2.83 V and 1 m; impedances of one
/// condition (the one most members have; free air before others when samples are compared). What is
/// left out is said in the notes.
[[nodiscard]] SeriesMaterial series_material(const std::vector<CurveOfTake>& curves,
                                             const std::string& loading);
/// Of a set as it was read.
[[nodiscard]] SeriesMaterial series_material(const ImportPreview& set, bool by_sample);

}  // namespace lalometer
