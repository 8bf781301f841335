#pragma once

#include "workbench/sharing/importing.h"

namespace lalometer {

/// Which part of a book a command is about.
struct SourceChoice {
  Id take = 0;          ///< 0: all that fit
  std::string subject;  ///< name; empty: the only one there is
  std::string variant;  ///< name; empty: all
};

/// What a command reads: files, folders with set.json, or one subject of a book (which is not
/// changed), all in one form. A book with several subjects, or without the one that is named, is a
/// problem that names those it has.
[[nodiscard]] ImportPreview read_source(const std::filesystem::path& path,
                                        const ImportChoices& choices, const SourceChoice& choice,
                                        std::stop_token stop = {}, const Progress& progress = {},
                                        const Parallel& parallel = in_turn);

/// What a book keeps of a subject under a name ("report", "network"); empty where it keeps none, or
/// the path is no book. @param subject  name; empty: the only one.
[[nodiscard]] std::string kept_document(const std::filesystem::path& path,
                                        const std::string& subject, const std::string& kind);

/// By its first bytes.
[[nodiscard]] bool is_book(const std::filesystem::path& path);

}  // namespace lalometer
