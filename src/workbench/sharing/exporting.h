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
/// @param as_read  the smoothing that the book reads its curves with goes along (a take's key
///   "smoothing"), so that commands tell the same figures of the set; else curves come back as they
///   are.
[[nodiscard]] Result<void> export_subject(const Book& book, Id subject,
                                          const std::filesystem::path& folder,
                                          std::stop_token stop = {}, const Progress& progress = {},
                                          bool as_read = false);

/// A set, or one subject of a book as it reads it, as a set of its own in another folder.
/// @param subject  name; empty: the only one.
[[nodiscard]] Result<void> export_source(const std::filesystem::path& source,
                                         const std::string& subject,
                                         const std::filesystem::path& folder,
                                         std::stop_token stop = {});

}  // namespace lalometer
