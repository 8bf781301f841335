#include "book/store/schema.h"

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
  note TEXT NOT NULL DEFAULT '',
  removed INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE TABLE variant (
  id INTEGER PRIMARY KEY,
  subject_id INTEGER NOT NULL REFERENCES subject(id),
  name TEXT NOT NULL,
  changed TEXT NOT NULL,
  change TEXT NOT NULL DEFAULT '',
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
  group_id INTEGER REFERENCES take_group(id),
  kind TEXT NOT NULL,
  setup TEXT NOT NULL DEFAULT '{}',
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
  plan_item TEXT NOT NULL DEFAULT '',
  drawing TEXT NOT NULL DEFAULT '',
  removed INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX take_of_subject ON take(subject_id, id);
CREATE TABLE on_score (
  take_id INTEGER PRIMARY KEY REFERENCES take(id),
  colour INTEGER NOT NULL
) STRICT;
CREATE TABLE view (key TEXT PRIMARY KEY, value TEXT NOT NULL) STRICT;
)sql");
  create_tables_of_version_2(database);
  database.exec(fmt::format("PRAGMA application_id = {}; PRAGMA user_version = {};",
                            kBookApplicationId, kBookVersion));
}

void create_tables_of_version_2(SQLite::Database& database) {
  database.exec(R"sql(
CREATE TABLE take_group (
  id INTEGER PRIMARY KEY,
  subject_id INTEGER NOT NULL REFERENCES subject(id),
  variant_id INTEGER NOT NULL REFERENCES variant(id),
  kind TEXT NOT NULL,
  name TEXT NOT NULL,
  alike TEXT NOT NULL
) STRICT;
CREATE TABLE recipe (
  id INTEGER PRIMARY KEY,
  subject_id INTEGER NOT NULL REFERENCES subject(id),
  role TEXT NOT NULL,
  value TEXT NOT NULL,
  UNIQUE (subject_id, role)
) STRICT;
CREATE TABLE document (
  id INTEGER PRIMARY KEY,
  subject_id INTEGER REFERENCES subject(id),
  kind TEXT NOT NULL,
  value TEXT NOT NULL
) STRICT;
CREATE UNIQUE INDEX document_of_subject ON document(kind, ifnull(subject_id, 0));
CREATE TABLE derived (
  key TEXT PRIMARY KEY,
  bytes BLOB NOT NULL,
  used INTEGER NOT NULL
) STRICT;
CREATE INDEX derived_by_use ON derived(used);
)sql");
}

void create_undo_triggers(SQLite::Database& database) {
  database.exec("CREATE TEMP TABLE undo_log (seq INTEGER PRIMARY KEY, statement TEXT NOT NULL);");
  for (const std::string table : {"subject", "variant", "take", "recipe", "document"}) {
    SQLite::Statement columns(
        database, "SELECT name FROM pragma_table_info('" + table + "') WHERE name <> 'id'");
    while (columns.executeStep()) {
      database.exec(fmt::format(
          "CREATE TEMP TRIGGER undo_{0}_{1} AFTER UPDATE OF {1} ON main.{0} WHEN old.{1} IS NOT "
          "new.{1} BEGIN INSERT INTO undo_log(statement) VALUES ('UPDATE {0} SET {1} = '|| "
          "quote(old.{1}) ||' WHERE id = '|| old.id ||' AND {1} IS '|| quote(new.{1})); END;",
          table, columns.getColumn(0).getString()));
    }
  }
}

}  // namespace lalometer
