#pragma once

#include "workbench/reading/lane_content.h"
#include "workbench/report/report_material.h"

namespace lalometer {

/// What lies on the score of a report: the response on the axis with its set of angles, level and
/// time; the impedance in the box; near fields and their join.
struct ReportScore {
  std::vector<LaidTake> laid;
  Id ahead = 0, impedance = 0, bass = 0;  ///< 0: not there
};
[[nodiscard]] ReportScore report_score(const ReportMaterial& material);
/// A lane of the score by its kind's id, as the window builds it.
[[nodiscard]] LaneContent report_lane(const ReportScore& score, const std::string& kind, Id chosen);

/// A curve in dB over a lane of levels, valid where the response is.
void add_level(LaneContent& content, const Response& curve, std::string label, int style,
               bool chosen);
/// An empty lane of levels.
[[nodiscard]] LaneContent level_lane_of(std::string title, std::string subtitle);
/// Left scale to what is shown.
void fit_levels(LaneContent& content);

/// "gate 4.0 ms, 1/24 octave, 2.83 V, 1.00 m, 20.5 °C", as far as the take tells.
[[nodiscard]] std::string conditions_of(const ImportItem& item);

}  // namespace lalometer
