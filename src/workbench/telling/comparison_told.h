#pragma once

#include "workbench/studies/factors.h"
#include "workbench/telling/told.h"

namespace lalometer {

/// Keys: members[], pairs[], repeatability_db, repeatability_measured, ranking[], nearest_pair,
/// odd_one_out, notes[].
[[nodiscard]] std::vector<Told> told_of(const std::vector<FactorTable>& tables);
[[nodiscard]] Told told_of(const SeriesComparison& comparison);
/// One line per member and figure: member, figure, value, uncertainty, unit.
[[nodiscard]] std::string comparison_csv(const SeriesComparison& comparison);
/// Member by member and pair by pair, for a terminal.
[[nodiscard]] std::string comparison_table(const SeriesComparison& comparison);

}  // namespace lalometer
