#include "book/schema.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <fmt/format.h>

#include <string>
#include <vector>

namespace lalometer {

void create_schema(SQLite::Database& database) {
  database.exec(R"sql(
CREATE TABLE subject (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL,
  kind TEXT NOT NULL,
  description TEXT NOT NULL,
  recipe TEXT NOT NULL,
  note TEXT NOT NULL DEFAULT '',
  removed INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE TABLE variant (
  id INTEGER PRIMARY KEY,
  subject_id INTEGER NOT NULL REFERENCES subject(id),
  name TEXT NOT NULL,
  changed TEXT NOT NULL,
  removed INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE TABLE sample (
  id INTEGER PRIMARY KEY,
  subject_id INTEGER NOT NULL REFERENCES subject(id),
  name TEXT NOT NULL,
  UNIQUE (subject_id, name)
) STRICT;
CREATE TABLE rig (
  id INTEGER PRIMARY KEY,
  calibration TEXT NOT NULL UNIQUE,
  added_at TEXT NOT NULL
) STRICT;
CREATE TABLE raw (
  hash TEXT PRIMARY KEY,
  sample_rate_hz REAL NOT NULL,
  channel_count INTEGER NOT NULL,
  file_name TEXT NOT NULL,
  bytes BLOB NOT NULL
) STRICT;
CREATE TABLE take (
  id INTEGER PRIMARY KEY,
  subject_id INTEGER NOT NULL REFERENCES subject(id),
  variant_id INTEGER NOT NULL REFERENCES variant(id),
  sample_id INTEGER REFERENCES sample(id),
  rig_id INTEGER REFERENCES rig(id),
  kind TEXT NOT NULL,
  form TEXT NOT NULL,
  name TEXT NOT NULL,
  conditions TEXT NOT NULL,
  raw_hash TEXT NOT NULL REFERENCES raw(hash),
  raw_name TEXT NOT NULL,
  sample_rate_hz REAL NOT NULL,
  remarks TEXT NOT NULL,
  accepted INTEGER NOT NULL,
  taken_at TEXT NOT NULL,
  note TEXT NOT NULL DEFAULT '',
  removed INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX take_of_subject ON take(subject_id, id);
CREATE TABLE on_score (
  take_id INTEGER PRIMARY KEY REFERENCES take(id),
  colour INTEGER NOT NULL
) STRICT;
CREATE TABLE view (key TEXT PRIMARY KEY, value TEXT NOT NULL) STRICT;
CREATE TABLE derived (key TEXT PRIMARY KEY, bytes BLOB NOT NULL) STRICT;
)sql");
  database.exec(fmt::format("PRAGMA application_id = {}; PRAGMA user_version = {};",
                            kBookApplicationId, kBookVersion));
}

void migrate(SQLite::Database& database, int from_version) {
  // Version 1 is the first; steps are added here, one per version, as `if (from_version < N)
  // {...}`.
  (void)from_version;
  database.exec(fmt::format("PRAGMA user_version = {};", kBookVersion));
}

void create_undo_triggers(SQLite::Database& database) {
  database.exec("CREATE TEMP TABLE undo_log (seq INTEGER PRIMARY KEY, statement TEXT NOT NULL);");
  for (const std::string table : {"subject", "variant", "take"}) {
    std::string assignments;
    SQLite::Statement columns(
        database, "SELECT name FROM pragma_table_info('" + table + "') WHERE name <> 'id'");
    while (columns.executeStep()) {
      const std::string column = columns.getColumn(0).getString();
      if (!assignments.empty()) assignments += "||','||";
      assignments += fmt::format("'{0}='||quote(old.{0})", column);
    }
    database.exec(
        fmt::format("CREATE TEMP TRIGGER undo_{0} AFTER UPDATE ON main.{0} BEGIN "
                    "INSERT INTO undo_log(statement) VALUES ('UPDATE {0} SET '||{1}||' WHERE "
                    "id='||old.id); END;",
                    table, assignments));
  }
}

}  // namespace lalometer
