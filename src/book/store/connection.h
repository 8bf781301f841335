#pragma once

#include <SQLiteCpp/SQLiteCpp.h>
#include <sqlite3.h>

#include <string>
#include <type_traits>
#include <vector>

#include "book/book.h"
#include "book/store/schema.h"

/// What the book's own sources share: the connection and the border at which the library's
/// exceptions become errors. Not for other rooms.
namespace lalometer {

/// How a book is opened; reading_target() says it for reading. A book in WAL mode needs a file of
/// its own beside it even for that; where the folder may not be written the file counts as
/// immutable.
struct OpenTarget {
  std::string name;
  int flags;
};
[[nodiscard]] OpenTarget reading_target(const std::filesystem::path& path);

/// A library's exception as a sentence for the user.
[[nodiscard]] Error storage_error(const SQLite::Exception& problem, const std::string& where);

/// For what may be lost in a power cut (a colour on the score, a cache): without waiting for the
/// disk. Nothing else is touched by it: the book stays whole either way.
class WithoutWaiting {
 public:
  explicit WithoutWaiting(SQLite::Database& database) : database_(database) {
    database_.exec("PRAGMA synchronous = NORMAL");
  }
  WithoutWaiting(const WithoutWaiting&) = delete;
  ~WithoutWaiting() { database_.tryExec("PRAGMA synchronous = FULL"); }

 private:
  SQLite::Database& database_;
};

/// The border: what the library throws becomes an Error here and goes no further.
template <class Action>
auto guarded(const std::filesystem::path& path, Action action) -> Result<decltype(action())> {
  try {
    if constexpr (std::is_void_v<decltype(action())>) {
      action();
      return {};
    } else {
      return action();
    }
  } catch (const SQLite::Exception& problem) {
    return tl::unexpected(storage_error(problem, path.string()));
  }
}

struct Book::Connection {
  std::filesystem::path path;
  SQLite::Database database;
  bool read_only;

  /// One step of undo or redo: its name and the statements that take it back, newest change first.
  struct Step {
    std::string name;
    std::vector<std::string> statements;
  };
  std::vector<Step> done;
  std::vector<Step> undone;
  /// Above 0 inside together(): edits join its transaction and its step.
  int depth = 0;

  Connection(std::filesystem::path file, const OpenTarget& target, bool is_read_only)
      : path(std::move(file)), database(target.name, target.flags, 5000), read_only(is_read_only) {}

  void configure() {
    if (!read_only) {
      database.exec("PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL;");
      create_undo_triggers(database);
    }
    database.exec(
        "PRAGMA foreign_keys = ON; PRAGMA cache_size = -4000; PRAGMA journal_size_limit = "
        "4194304;");
  }

  /// Statements logged since the last call, newest first.
  std::vector<std::string> drain_log() {
    std::vector<std::string> statements;
    SQLite::Statement rows(database, "SELECT statement FROM undo_log ORDER BY seq DESC");
    while (rows.executeStep()) statements.push_back(rows.getColumn(0).getString());
    database.exec("DELETE FROM undo_log");
    return statements;
  }
};

}  // namespace lalometer
