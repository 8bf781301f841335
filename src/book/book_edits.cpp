#include <fmt/format.h>

#include "book/description/description_text.h"
#include "book/json.h"
#include "book/store/connection.h"

/// Edits of the book: each one transaction and one step of undo.
namespace lalometer {

Result<Id> Book::add_subject(const Subject& subject) {
  // Rows come in removed and are then shown by a logged update, so that undo never deletes what
  // others refer to.
  Id id = 0;
  return edit("Add a subject",
              [&] {
                SQLite::Statement insert(connection_->database,
                                         "INSERT INTO subject(name, kind, description, removed) "
                                         "VALUES (?, ?, ?, 1)");
                insert.bind(1, subject.name);
                insert.bind(2, std::string(word_of(subject.kind)));
                insert.bind(3, to_json(subject.description));
                insert.exec();
                id = connection_->database.getLastInsertRowid();
                for (const TakeRole role : {TakeRole::kFarField, TakeRole::kNearField}) {
                  SQLite::Statement recipe(
                      connection_->database,
                      "INSERT INTO recipe(subject_id, role, value) VALUES (?, ?, ?)");
                  recipe.bind(1, id);
                  recipe.bind(2, std::string(word_of(role)));
                  recipe.bind(3, to_json(usual_recipe(role)));
                  recipe.exec();
                }
                connection_->database.exec(
                    fmt::format("UPDATE subject SET removed = 0 WHERE id = {}", id));
              })
      .map([&] { return id; });
}

Result<Id> Book::add_variant(const Variant& variant) {
  Id id = 0;
  return edit("Add a variant",
              [&] {
                SQLite::Statement insert(connection_->database,
                                         "INSERT INTO variant(subject_id, name, changed, change, "
                                         "removed) VALUES (?, ?, ?, ?, 1)");
                insert.bind(1, variant.subject_id);
                insert.bind(2, variant.name);
                insert.bind(3, variant.changed);
                insert.bind(4, variant.change);
                insert.exec();
                id = connection_->database.getLastInsertRowid();
                connection_->database.exec(
                    fmt::format("UPDATE variant SET removed = 0 WHERE id = {}", id));
              })
      .map([&] { return id; });
}

Result<void> Book::edit(const std::string& name, const std::function<void()>& change) {
  if (connection_->depth > 0) return guarded(connection_->path, change);
  return guarded(connection_->path, [&] {
    SQLite::Transaction transaction(connection_->database, SQLite::TransactionBehavior::IMMEDIATE);
    connection_->database.exec("DELETE FROM undo_log");
    change();
    Connection::Step step{name, connection_->drain_log()};
    transaction.commit();
    connection_->done.push_back(std::move(step));
    connection_->undone.clear();
  });
}

Result<void> Book::begin_together() {
  if (connection_->depth++ > 0) return {};
  auto begun = guarded(connection_->path, [&] {
    connection_->database.exec("BEGIN IMMEDIATE; DELETE FROM undo_log");
  });
  if (!begun) --connection_->depth;
  return begun;
}

Result<void> Book::end_together(const std::string& name, bool keep) {
  if (--connection_->depth > 0) return {};
  auto ended = guarded(connection_->path, [&] {
    if (!keep) return connection_->database.exec("ROLLBACK"), void();
    Connection::Step step{name, connection_->drain_log()};
    connection_->database.exec("COMMIT");
    connection_->done.push_back(std::move(step));
    connection_->undone.clear();
  });
  // A full disk leaves the transaction open, or has rolled it back already.
  if (!ended) connection_->database.tryExec("ROLLBACK");
  return ended;
}

namespace {

void update(SQLite::Database& database, const char* statement,
            const std::vector<std::string>& texts, Id id) {
  SQLite::Statement query(database, statement);
  int place = 1;
  for (const std::string& text : texts) query.bind(place++, text);
  query.bind(place, id);
  query.exec();
}

}  // namespace

Result<void> Book::set_recipe(Id subject, const Recipe& recipe, TakeRole role) {
  return edit("Change the recipe", [&] {
    SQLite::Statement query(connection_->database,
                            "UPDATE recipe SET value = ? WHERE subject_id = ? AND role = ?");
    query.bind(1, to_json(recipe));
    query.bind(2, subject);
    query.bind(3, std::string(word_of(role)));
    query.exec();
  });
}

Result<void> Book::set_document(Id subject, const std::string& kind, const std::string& value,
                                const std::string& step_name) {
  return edit(step_name, [&] {
    // Empty at first, then changed: so that undo empties it again.
    SQLite::Statement insert(
        connection_->database,
        "INSERT OR IGNORE INTO document(subject_id, kind, value) VALUES (nullif(?, 0), ?, '')");
    insert.bind(1, subject);
    insert.bind(2, kind);
    insert.exec();
    SQLite::Statement query(
        connection_->database,
        "UPDATE document SET value = ? WHERE kind = ? AND ifnull(subject_id, 0) = ?");
    query.bind(1, value);
    query.bind(2, kind);
    query.bind(3, subject);
    query.exec();
  });
}

Result<void> Book::set_description(Id subject, const Description& description) {
  return edit("Change the drawing", [&] {
    update(connection_->database, "UPDATE subject SET description = ? WHERE id = ?",
           {to_json(description)}, subject);
  });
}

Result<void> Book::rename_subject(Id subject, const std::string& name) {
  return edit("Rename a subject", [&] {
    update(connection_->database, "UPDATE subject SET name = ? WHERE id = ?", {name}, subject);
  });
}

Result<void> Book::rename_take(Id take, const std::string& name) {
  return edit("Rename a take", [&] {
    update(connection_->database, "UPDATE take SET name = ? WHERE id = ?", {name}, take);
  });
}

Result<void> Book::set_variant(const Variant& variant) {
  return edit("Change a variant", [&] {
    update(connection_->database,
           "UPDATE variant SET name = ?, changed = ?, change = ? WHERE id = ?",
           {variant.name, variant.changed, variant.change}, variant.id);
  });
}

Result<void> Book::set_take_note(Id take, const std::string& note) {
  return edit("Change a note", [&] {
    update(connection_->database, "UPDATE take SET note = ? WHERE id = ?", {note}, take);
  });
}

Result<void> Book::set_conditions(Id take, const Conditions& conditions,
                                  const std::string& step_name) {
  return edit(step_name, [&] {
    update(connection_->database, "UPDATE take SET conditions = ? WHERE id = ?",
           {to_json(conditions)}, take);
  });
}

Result<void> Book::set_note(Id subject, const std::string& note) {
  return edit("Change a note", [&] {
    update(connection_->database, "UPDATE subject SET note = ? WHERE id = ?", {note}, subject);
  });
}

Result<void> Book::set_rig(const std::vector<Id>& takes, Id rig) {
  return edit("Change the calibration of takes", [&] {
    for (const Id take : takes) {
      SQLite::Statement statement(connection_->database, "UPDATE take SET rig_id = ? WHERE id = ?");
      statement.bind(1, rig);
      statement.bind(2, take);
      statement.exec();
    }
  });
}

Result<void> Book::remove_take(Id take) {
  return edit("Remove a take", [&] {
    update(connection_->database, "UPDATE take SET removed = 1 WHERE id = ?", {}, take);
  });
}

Result<void> Book::remove_subject(Id subject) {
  return edit("Remove a subject", [&] {
    update(connection_->database, "UPDATE subject SET removed = 1 WHERE id = ?", {}, subject);
    update(connection_->database,
           "UPDATE take SET removed = 1 WHERE subject_id = ? AND removed = 0", {}, subject);
  });
}

std::string Book::undo_name() const {
  return connection_->done.empty() ? std::string() : connection_->done.back().name;
}
std::string Book::redo_name() const {
  return connection_->undone.empty() ? std::string() : connection_->undone.back().name;
}
Result<void> Book::undo() {
  return step(true);
}
Result<void> Book::redo() {
  return step(false);
}

Result<void> Book::step(bool back) {
  std::vector<Connection::Step>& from = back ? connection_->done : connection_->undone;
  std::vector<Connection::Step>& to = back ? connection_->undone : connection_->done;
  if (from.empty()) return {};
  bool anything = from.back().statements.empty();
  bool left_alone = false;
  return guarded(connection_->path,
                 [&] {
                   SQLite::Transaction transaction(connection_->database,
                                                   SQLite::TransactionBehavior::IMMEDIATE);
                   connection_->database.exec("DELETE FROM undo_log");
                   for (const std::string& statement : from.back().statements) {
                     const bool fits = connection_->database.exec(statement) > 0;
                     anything = anything || fits;
                     left_alone = left_alone || !fits;
                   }
                   Connection::Step inverse{from.back().name, connection_->drain_log()};
                   transaction.commit();
                   from.pop_back();
                   if (anything) to.push_back(std::move(inverse));
                 })
      .and_then([&]() -> Result<void> {
        if (!left_alone) return {};
        return bad_input(
            anything ? "Somebody else has changed a part of this since (another window, or the "
                       "command line); that part was left as it is now."
                     : "Somebody else has changed this since (another window, or the command "
                       "line); it was left as it is now.");
      });
}

}  // namespace lalometer
