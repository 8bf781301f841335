#include <SQLiteCpp/Backup.h>

#include "book/book.h"
#include "book/store/connection.h"

/// Making, opening, copying and checking a book's file.
namespace lalometer {

Result<Book> Book::create(const std::filesystem::path& path) {
  std::error_code ignored;
  if (std::filesystem::exists(path, ignored)) {
    return bad_input("There is a file of this name already; it was left as it is.", path.string());
  }
  return guarded(path, [&] {
    auto connection = std::make_unique<Connection>(
        path, OpenTarget{path.string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE}, false);
    connection->database.exec("PRAGMA journal_mode = WAL;");
    SQLite::Transaction transaction(connection->database);
    create_schema(connection->database);
    transaction.commit();
    connection->configure();
    return Book(std::move(connection));
  });
}

namespace {

/// Refuses what is not a book of a version that this program knows; needs no write access.
Result<int> version_of(const std::filesystem::path& path) {
  std::error_code problem;
  if (!std::filesystem::is_regular_file(path, problem)) {
    return fail(ErrorCode::kNotFound, "There is no such book.", path.string());
  }
  return guarded(path,
                 [&] {
                   const OpenTarget target = reading_target(path);
                   SQLite::Database database(target.name, target.flags, 5000);
                   const int application = database.execAndGet("PRAGMA application_id").getInt();
                   return application == kBookApplicationId
                              ? database.execAndGet("PRAGMA user_version").getInt()
                              : -1;
                 })
      .and_then([&](int version) -> Result<int> {
        if (version < 0)
          return bad_input("This is not a Lalometer book. The file was left as it is.",
                           path.string());
        if (version > kBookVersion) {
          return fail(ErrorCode::kNewerVersion,
                      fmt::format("This book was written by a newer Lalometer (format {}, this "
                                  "program knows {}). It "
                                  "was left as it is; update the program to open it.",
                                  version, kBookVersion),
                      path.string());
        }
        return version;
      });
}

bool writable(const std::filesystem::path& path) {
  // SQLite falls back to read-only by itself; asking it is more reliable than permission bits.
  try {
    SQLite::Database database(path.string(), SQLite::OPEN_READWRITE, 5000);
    if (sqlite3_db_readonly(database.getHandle(), "main") != 0) return false;
    database.exec("BEGIN IMMEDIATE; ROLLBACK;");
    return true;
  } catch (const SQLite::Exception& problem) {
    return problem.getErrorCode() == SQLITE_BUSY;
  }
}

}  // namespace

/// An old book that cannot be written is read as it would be after its migration.
Book Book::brought_forward_in_memory(const std::filesystem::path& path, int version) {
  auto connection = std::make_unique<Connection>(
      path, OpenTarget{":memory:", SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE}, true);
  const OpenTarget target = reading_target(path);
  SQLite::Database file(target.name, target.flags, 5000);
  SQLite::Backup(connection->database, file).executeStep(-1);
  migrate(connection->database, version);
  connection->configure();
  return Book(std::move(connection));
}

Result<Book> Book::open(const std::filesystem::path& path) {
  const Result<int> version = version_of(path);
  if (!version) return tl::unexpected(version.error());
  const bool may_write = writable(path);
  return guarded(path, [&] {
    if (*version < kBookVersion && !may_write) return brought_forward_in_memory(path, *version);
    auto connection = std::make_unique<Connection>(
        path, may_write ? OpenTarget{path.string(), SQLite::OPEN_READWRITE} : reading_target(path),
        !may_write);
    if (*version < kBookVersion) {
      connection->database.backup((path.string() + fmt::format(".version-{}", *version)).c_str(),
                                  SQLite::Database::Save);
      SQLite::Transaction transaction(connection->database);
      migrate(connection->database, *version);
      transaction.commit();
    }
    connection->configure();
    // A cut-off file often opens well and fails on the first real page.
    connection->database.execAndGet("SELECT count(*) FROM take");
    return Book(std::move(connection));
  });
}

Result<void> Book::duplicate_to(const std::filesystem::path& path, std::stop_token stop,
                                const std::function<void(double)>& progress) const {
  std::error_code ignored;
  if (std::filesystem::exists(path, ignored)) {
    return bad_input("There is a file of this name already; it was left as it is.", path.string());
  }
  // In WAL an open book is three files: only SQLite's own copy is a whole one.
  auto copied = guarded(path, [&] {
    SQLite::Database target(path.string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
    SQLite::Backup backup(target, connection_->database);
    // Some megabytes at a time, so that a stop is heard and a writer elsewhere gets its turn.
    constexpr int kPages = 1000;
    while (!stop.stop_requested() && backup.executeStep(kPages) != SQLITE_DONE) {
      const double whole = std::max(backup.getTotalPageCount(), 1);
      if (progress) progress(1.0 - backup.getRemainingPageCount() / whole);
    }
  });
  if (copied && stop.stop_requested()) copied = cancelled();
  if (!copied) std::filesystem::remove(path, ignored);
  return copied;
}

Result<void> Book::check_integrity() const {
  return guarded(
             connection_->path,
             [&] { return connection_->database.execAndGet("PRAGMA integrity_check").getString(); })
      .and_then([&](const std::string& verdict) -> Result<void> {
        if (verdict == "ok") return {};
        return fail(ErrorCode::kStorage, "The book is damaged: " + verdict,
                    connection_->path.string());
      });
}

}  // namespace lalometer
