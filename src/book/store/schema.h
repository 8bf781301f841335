#pragma once

namespace SQLite {
class Database;
}

namespace lalometer {

/// 'LALO': what `file` and others may know a book by.
inline constexpr int kBookApplicationId = 0x4C414C4F;
inline constexpr int kBookVersion = 2;

/// Makes the tables of the current version in an empty database.
void create_schema(SQLite::Database& database);

/// Brings a book from `from_version` to kBookVersion, one step per version. The caller holds a
/// transaction.
void migrate(SQLite::Database& database, int from_version);

/// The tables that version 2 brought, without the columns that it added to `take`.
void create_tables_of_version_2(SQLite::Database& database);

/// Temporary triggers that write, for every column that an edit changed, the statement that puts it
/// back, provided that it still holds what the edit left there: undoing never takes back what
/// another window did. They live with the connection: each undoes its own edits only.
void create_undo_triggers(SQLite::Database& database);

}  // namespace lalometer
