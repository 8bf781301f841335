#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "base/json_text.h"
#include "book/json.h"
#include "book/room.h"

/// Edits of the book: each one transaction and one step of undo.
namespace lalometer {

Result<Id> Book::add_subject(const Subject& subject) {
  // Rows come in removed and are then shown by a logged update, so that undo never deletes what
  // others refer to.
  Id id = 0;
  return edit("Add a subject",
              [&] {
                SQLite::Statement insert(room_->database,
                                         "INSERT INTO subject(name, kind, description, recipe, "
                                         "removed) VALUES (?, ?, ?, ?, 1)");
                insert.bind(1, subject.name);
                insert.bind(2, std::string(word_of(subject.kind)));
                insert.bind(3, subject.description_json);
                insert.bind(4, to_json(Recipe{}));
                insert.exec();
                id = room_->database.getLastInsertRowid();
                room_->database.exec(
                    fmt::format("UPDATE subject SET removed = 0 WHERE id = {}", id));
              })
      .map([&] { return id; });
}

Result<Id> Book::add_variant(const Variant& variant) {
  Id id = 0;
  return edit("Add a variant",
              [&] {
                SQLite::Statement insert(
                    room_->database,
                    "INSERT INTO variant(subject_id, name, changed, removed) VALUES (?, ?, ?, 1)");
                insert.bind(1, variant.subject_id);
                insert.bind(2, variant.name);
                insert.bind(3, variant.changed);
                insert.exec();
                id = room_->database.getLastInsertRowid();
                room_->database.exec(
                    fmt::format("UPDATE variant SET removed = 0 WHERE id = {}", id));
              })
      .map([&] { return id; });
}

Result<void> Book::edit(const std::string& name, const std::function<void()>& change) {
  return guarded(room_->path, [&] {
    SQLite::Transaction transaction(room_->database, SQLite::TransactionBehavior::IMMEDIATE);
    change();
    Room::Step step{name, room_->drain_log()};
    transaction.commit();
    room_->done.push_back(std::move(step));
    room_->undone.clear();
  });
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

Result<void> Book::set_recipe(Id subject, const Recipe& recipe) {
  return edit("Change the recipe", [&] {
    update(room_->database, "UPDATE subject SET recipe = ? WHERE id = ?", {to_json(recipe)},
           subject);
  });
}

Result<void> Book::set_description(Id subject, const std::string& description_json) {
  if (!parsed_json(description_json).is_object())
    return bad_input("The description is not a JSON object.", room_->path.string());
  return edit("Change the drawing", [&] {
    update(room_->database, "UPDATE subject SET description = ? WHERE id = ?", {description_json},
           subject);
  });
}

Result<void> Book::rename_subject(Id subject, const std::string& name) {
  return edit("Rename a subject", [&] {
    update(room_->database, "UPDATE subject SET name = ? WHERE id = ?", {name}, subject);
  });
}

Result<void> Book::rename_take(Id take, const std::string& name) {
  return edit("Rename a take", [&] {
    update(room_->database, "UPDATE take SET name = ? WHERE id = ?", {name}, take);
  });
}

Result<void> Book::set_variant(Id variant, const std::string& name, const std::string& changed) {
  return edit("Change a variant", [&] {
    update(room_->database, "UPDATE variant SET name = ?, changed = ? WHERE id = ?",
           {name, changed}, variant);
  });
}

Result<void> Book::set_take_note(Id take, const std::string& note) {
  return edit("Change a note", [&] {
    update(room_->database, "UPDATE take SET note = ? WHERE id = ?", {note}, take);
  });
}

Result<void> Book::set_note(Id subject, const std::string& note) {
  return edit("Change a note", [&] {
    update(room_->database, "UPDATE subject SET note = ? WHERE id = ?", {note}, subject);
  });
}

Result<void> Book::set_rig(const std::vector<Id>& takes, Id rig) {
  return edit("Change the calibration of takes", [&] {
    for (const Id take : takes) {
      SQLite::Statement statement(room_->database, "UPDATE take SET rig_id = ? WHERE id = ?");
      statement.bind(1, rig);
      statement.bind(2, take);
      statement.exec();
    }
  });
}

Result<void> Book::remove_take(Id take) {
  return edit("Remove a take", [&] {
    update(room_->database, "UPDATE take SET removed = 1 WHERE id = ?", {}, take);
  });
}

Result<void> Book::remove_subject(Id subject) {
  return edit("Remove a subject", [&] {
    update(room_->database, "UPDATE subject SET removed = 1 WHERE id = ?", {}, subject);
    update(room_->database, "UPDATE take SET removed = 1 WHERE subject_id = ? AND removed = 0", {},
           subject);
  });
}

std::string Book::undo_name() const {
  return room_->done.empty() ? std::string() : room_->done.back().name;
}
std::string Book::redo_name() const {
  return room_->undone.empty() ? std::string() : room_->undone.back().name;
}
Result<void> Book::undo() {
  return step(true);
}
Result<void> Book::redo() {
  return step(false);
}

Result<void> Book::step(bool back) {
  std::vector<Room::Step>& from = back ? room_->done : room_->undone;
  std::vector<Room::Step>& to = back ? room_->undone : room_->done;
  if (from.empty()) return {};
  return guarded(room_->path, [&] {
    SQLite::Transaction transaction(room_->database, SQLite::TransactionBehavior::IMMEDIATE);
    for (const std::string& statement : from.back().statements) room_->database.exec(statement);
    Room::Step inverse{from.back().name, room_->drain_log()};
    transaction.commit();
    from.pop_back();
    to.push_back(std::move(inverse));
  });
}

}  // namespace lalometer
