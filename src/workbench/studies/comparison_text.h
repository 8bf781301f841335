#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "workbench/sharing/importing.h"
#include "workbench/studies/comparison.h"

/// A comparison's members from takes, and the comparison as JSON, CSV and text.
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
};
/// Groups curves by member: responses on the axis, brought to 2.83 V and 1 m; impedances of one
/// condition (the one most members have; free air before others when samples are compared). What is
/// left out is said in the notes.
[[nodiscard]] SeriesMaterial series_material(const std::vector<CurveOfTake>& curves,
                                             const std::string& loading);
/// Of a set as it was read.
[[nodiscard]] SeriesMaterial series_material(const ImportPreview& set, bool by_sample);

/// Keys: members[], pairs[], repeatability_db, repeatability_measured, ranking[], nearest_pair,
/// odd_one_out, notes[].
[[nodiscard]] nlohmann::ordered_json comparison_json(const SeriesComparison& comparison);
[[nodiscard]] std::string comparison_json_text(const SeriesComparison& comparison);
/// One line per member and figure: member, figure, value, uncertainty, unit.
[[nodiscard]] std::string comparison_csv(const SeriesComparison& comparison);
/// For a terminal.
[[nodiscard]] std::string comparison_table(const SeriesComparison& comparison);

}  // namespace lalometer
