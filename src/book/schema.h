#pragma once

namespace SQLite {
class Database;
}

namespace lalometer {

/// 'LALO': what `file` and others may know a book by.
inline constexpr int kBookApplicationId = 0x4C414C4F;
inline constexpr int kBookVersion = 1;

/// Makes the tables of the current version in an empty database.
void create_schema(SQLite::Database& database);

/// Brings a book from `from_version` to kBookVersion, one step per version, in one transaction.
void migrate(SQLite::Database& database, int from_version);

/// Temporary triggers that write, for every updated row of an edited table, the statement that puts
/// it back. They live with the connection: each window undoes its own edits only.
void create_undo_triggers(SQLite::Database& database);

}  // namespace lalometer
