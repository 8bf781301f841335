#pragma once

#include <string>

#include "workbench/report/report.h"

namespace lalometer {

/// The report as one HTML page that needs nothing from outside: figures as SVG that tell values
/// under the pointer, light and dark by the reader's wish, light in print, readable from 360 px on.
/// The same report gives the same bytes.
[[nodiscard]] std::string html_page(const Report& report, const ReportWish& wish);

}  // namespace lalometer
