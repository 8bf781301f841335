#pragma once

#include <filesystem>
#include <string>

#include "base/result.h"
#include "workbench/report/report.h"

namespace lalometer {

/// What a user chose of a subject's report, as the book's document "report" has it
/// (docs/book-format.md).
[[nodiscard]] std::string to_json(const ReportWish& wish);
/// Members that are not there are as usual; an unknown kind is a review.
[[nodiscard]] ReportWish report_wish_from_json(const std::string& text);

/// Kind, sections, order and proportions under a name, for other subjects too: the book's document
/// "report-templates".
struct ReportTemplate {
  std::string name;
  ReportWish wish;  ///< without verdict, own words and subjects
  friend bool operator==(const ReportTemplate&, const ReportTemplate&) = default;
};
[[nodiscard]] std::string to_json(const std::vector<ReportTemplate>& templates);
[[nodiscard]] std::vector<ReportTemplate> report_templates_from_json(const std::string& text);
/// A wish as the template has it; verdict, own words and subjects stay.
[[nodiscard]] ReportWish like_template(const ReportTemplate& of, ReportWish wish);
/// Error: the source is no book, or has no template of this name (those it has are named).
[[nodiscard]] Result<ReportTemplate> kept_report_template(const std::filesystem::path& source,
                                                          const std::string& name);

/// The kept wish of a book's subject; as usual where it has none, or the path is no book.
/// @param subject  name; empty: the only one.
[[nodiscard]] ReportWish kept_report_wish(const std::filesystem::path& source,
                                          const std::string& subject);

}  // namespace lalometer
