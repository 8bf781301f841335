#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "workbench/report/report_making.h"

namespace lalometer {

enum class ReportForm { kPdf, kHtml, kFolder };
[[nodiscard]] std::optional<ReportForm> report_form(std::string_view word);

/// Writes a report (of a made one, as the user wants it): a PDF, a page, or a folder with
/// `report.html`, `report.pdf`, `scorecard.png`, `figures/` (SVG and PNG of each, in `dark/` on dark ground) and `data/`
/// (responses by angle, impedances, stated figures as CSV, and the takes as a set that reads back
/// to the same figures).
/// @return the files, in the order they were written. Errors name the file; kCancelled.
[[nodiscard]] Result<std::vector<std::filesystem::path>> write_report(
    const MadeReport& made, const Report& report, const ReportWish& wish, ReportForm form,
    const std::filesystem::path& to, std::stop_token stop = {});

}  // namespace lalometer
