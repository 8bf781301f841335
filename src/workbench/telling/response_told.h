#pragma once

#include "exchange/text_table.h"
#include "workbench/results/analysis.h"
#include "workbench/telling/told.h"

namespace lalometer {

/// Rows of a response: frequency_hz[], level_db[], phase_deg[] (null without phase) and
/// valid_from_hz. Only what is valid: a number outside its validity is not told as if it were good.
[[nodiscard]] Told told_of(const Response& curve);
/// A text file's rows one for one.
/// @param gate_s  that its curve was gated with already; 0: not known.
[[nodiscard]] Told told_of(const TextTable& table, double gate_s);

}  // namespace lalometer
