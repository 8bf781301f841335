#pragma once

#include <filesystem>
#include <stop_token>

#include "base/progress.h"
#include "book/book.h"

namespace lalometer {

/// A take as a file: a text curve (.frd, .zma, .txt, .csv by ending), or the raw sound of a
/// recording (.wav, .flac).
[[nodiscard]] Result<void> export_take(const Book& book, Id take,
                                       const std::filesystem::path& path);

/// A subject with its variants and accepted takes as a measurement set: recordings as WAV with
/// their loopback, imported files byte for byte.
[[nodiscard]] Result<void> export_subject(const Book& book, Id subject,
                                          const std::filesystem::path& folder,
                                          std::stop_token stop = {}, const Progress& progress = {});

/// A set, or one subject of a book, as a set of its own in another folder.
/// @param subject  name; empty: the only one.
[[nodiscard]] Result<void> export_source(const std::filesystem::path& source,
                                         const std::string& subject,
                                         const std::filesystem::path& folder,
                                         std::stop_token stop = {});

}  // namespace lalometer
