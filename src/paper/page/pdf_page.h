#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "base/result.h"
#include "workbench/report/report.h"

namespace lalometer {

/// The report as PDF, A4: text and figures as vectors with their fonts embedded, sections as
/// bookmarks, headings, paragraphs, tables and figures tagged, title and date in its metadata (the
/// date is the takes' own). The same report gives the same bytes on the same libraries. Errors:
/// what the libraries refuse.
[[nodiscard]] Result<std::vector<std::byte>> pdf_page(const Report& report, const ReportWish& wish);

/// Where something stands on a page, in points from its upper left corner.
struct PaperPlace {
  int page = 1;
  double x = 0.0, y = 0.0, width = 0.0, height = 0.0;
  bool figure = false;  ///< else a sentence
  std::string key;      ///< the figure's id, the sentence's key
};
/// The PDF, and where its figures and sentences stand: for a window that shows it.
struct Paper {
  std::vector<std::byte> pdf;
  std::vector<PaperPlace> places;
};
[[nodiscard]] Result<Paper> paper_of(const Report& report, const ReportWish& wish);

/// An SVG drawn to a PNG of a width.
[[nodiscard]] Result<std::vector<std::byte>> png_of_svg(const std::string& svg, int width);
/// An SVG as a one-page PDF of its own size.
[[nodiscard]] Result<std::vector<std::byte>> pdf_of_svg(const std::string& svg);

}  // namespace lalometer
