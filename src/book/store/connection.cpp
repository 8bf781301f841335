#include "book/store/connection.h"

#include <fmt/format.h>

#include <cctype>

namespace lalometer {
namespace {

/// A path inside a URI: everything but letters, digits and a few marks as %XX.
std::string escaped(const std::string& path) {
  std::string text;
  for (const char c : path) {
    const auto byte = static_cast<unsigned char>(c);
    if (std::isalnum(byte) != 0 || c == '/' || c == '.' || c == '-' || c == '_')
      text.push_back(c);
    else
      text += fmt::format("%{:02X}", byte);
  }
  return text;
}

}  // namespace

OpenTarget reading_target(const std::filesystem::path& path) {
  const OpenTarget plain{path.string(), SQLite::OPEN_READONLY};
  try {
    SQLite::Database database(plain.name, plain.flags, 5000);
    database.execAndGet("SELECT count(*) FROM sqlite_master");
    return plain;
  } catch (const SQLite::Exception& problem) {
    if (problem.getErrorCode() != SQLITE_CANTOPEN && problem.getErrorCode() != SQLITE_READONLY)
      return plain;  // the caller meets the same trouble and tells it
  }
  return {"file:" + escaped(std::filesystem::absolute(path).string()) + "?immutable=1",
          SQLite::OPEN_READONLY | SQLite::OPEN_URI};
}

Error storage_error(const SQLite::Exception& problem, const std::string& where) {
  switch (problem.getErrorCode()) {
    case SQLITE_FULL:
      return {ErrorCode::kStorage,
              "The disk is full. Nothing of this step was kept, all before it was. Make room and "
              "do it again.",
              where};
    case SQLITE_READONLY:
      return {ErrorCode::kStorage,
              "The book cannot be written here (read-only file or folder). Nothing was changed; "
              "duplicate it to a folder of yours to go on.",
              where};
    case SQLITE_CANTOPEN:
      return {ErrorCode::kStorage,
              "The file cannot be opened: check that the folder is there and may be written.",
              where};
    case SQLITE_NOTADB:
      return {ErrorCode::kBadInput, "This is not a Lalometer book. The file was left as it is.",
              where};
    case SQLITE_CORRUPT:
      return {ErrorCode::kStorage,
              "The book is damaged or cut short. It was left as it is; use a duplicate of it.",
              where};
    case SQLITE_BUSY:
    case SQLITE_LOCKED:
      return {ErrorCode::kStorage,
              "Another program holds the book. Nothing was changed; try again.", where};
    case SQLITE_IOERR:
      return {ErrorCode::kStorage,
              "The disk refused to write or read (full, cut off or failing). Nothing of this step "
              "was kept, all before it was.",
              where};
    default:
      return {ErrorCode::kStorage, std::string("The book could not be used: ") + problem.what(),
              where};
  }
}

}  // namespace lalometer
