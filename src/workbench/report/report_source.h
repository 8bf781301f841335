#pragma once

#include <filesystem>

#include "workbench/report/report_making.h"

namespace lalometer {

/// Reads all that a report of a source is made of: the subject with all its variants, the others
/// that it is compared with, and the network that the book keeps with it.
/// @param source   set, folder, file or book.
/// @param subject  of a book, by name; empty: the only one.
[[nodiscard]] ReportInput report_input(const std::filesystem::path& source,
                                       const std::string& subject, const std::string& variant,
                                       const ReportWish& wish, std::stop_token stop = {});

}  // namespace lalometer
