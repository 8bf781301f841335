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

/// The kept wish of a book's subject; as usual where it has none, or the path is no book.
/// @param subject  name; empty: the only one.
[[nodiscard]] ReportWish kept_report_wish(const std::filesystem::path& source,
                                          const std::string& subject);

}  // namespace lalometer
