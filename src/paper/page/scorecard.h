#pragma once

#include <string>

#include "workbench/report/report.h"

namespace lalometer {

/// A picture of 1200 x 630 for a link to the report: title, six cards, the first figure. As SVG.
[[nodiscard]] std::string scorecard_svg(const Report& report, const ReportWish& wish);

}  // namespace lalometer
