#include <SQLiteCpp/SQLiteCpp.h>
#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "base/json_text.h"
#include "base/text.h"
#include "book/records.h"
#include "book/store/grouping.h"
#include "book/store/schema.h"

/// One function per version. Each reads the tables as its version left them, with statements of its
/// own: what the program does today must not change how an old book is read.
namespace lalometer {
namespace {

using Json = nlohmann::json;

double number(const Json& json, const char* key, double fallback) {
  const auto found = json.find(key);
  return found != json.end() && found->is_number() ? found->get<double>() : fallback;
}

std::string text(const Json& json, const char* key) {
  const auto found = json.find(key);
  return found != json.end() && found->is_string() ? found->get<std::string>() : std::string();
}

std::string taken_out(Json& json, const char* key) {
  std::string value = text(json, key);
  json.erase(key);
  return value;
}

/// Version 1 knew "response" and "impedance"; what a response really was stood in its condition, or
/// among the keys that the importer kept.
TakeSetup setup_of_version_1(const std::string& kind, Json& conditions, Json& more) {
  const Placement place{number(conditions, "distance_m", 1.0),
                        number(conditions, "horizontal_deg", 0.0),
                        number(conditions, "vertical_deg", 0.0), taken_out(more, "listening_axis")};
  const std::string condition = text(conditions, "condition");
  for (const char* key : {"distance_m", "horizontal_deg", "vertical_deg", "condition"})
    conditions.erase(key);
  if (kind == "impedance") {
    ImpedanceSetup s{condition, number(more, "added_mass_g", 0.0), number(more, "test_box_l", 0.0)};
    more.erase("added_mass_g");
    more.erase("test_box_l");
    return s;
  }
  const std::string told = taken_out(more, "kind");
  if (kind != "response") return UnknownSetup{kind, dumped(more)};
  if (condition == "near-field" || told == "near-field") {
    std::string source = taken_out(more, "source");
    // The window's own takes said it as the driver that plays.
    if (source.empty()) source = text(conditions, "driver");
    if (told != "near-field") conditions["driver"] = "";
    return NearFieldSetup{std::move(source), 5.0};
  }
  if (told == "multitone") {
    MultitoneSetup s{place, {}};
    for (const Json& tone : more.value("tones_hz", Json::array()))
      if (tone.is_number()) s.tones_hz.push_back(tone.get<double>());
    more.erase("tones_hz");
    return s;
  }
  return FarFieldSetup{place, condition};
}

void takes_to_version_2(SQLite::Database& database) {
  database.exec(
      "ALTER TABLE take ADD COLUMN group_id INTEGER REFERENCES take_group(id);"
      "ALTER TABLE take ADD COLUMN setup TEXT NOT NULL DEFAULT '{}';"
      "ALTER TABLE take ADD COLUMN plan_item TEXT NOT NULL DEFAULT '';"
      "ALTER TABLE take ADD COLUMN drawing TEXT NOT NULL DEFAULT '';");
  SQLite::Statement rows(database, "SELECT id, kind, conditions FROM take");
  SQLite::Statement update(database,
                           "UPDATE take SET kind = ?, setup = ?, conditions = ?, plan_item = ?, "
                           "drawing = ? WHERE id = ?");
  while (rows.executeStep()) {
    Json conditions = parsed_json(rows.getColumn(2).getString());
    if (!conditions.is_object()) conditions = Json::object();
    Json more = conditions.value("more", Json::object());
    if (!more.is_object()) more = Json::object();
    const std::string plan_item = taken_out(more, "plan_item");
    const std::string drawing = taken_out(more, "drawing");
    const TakeSetup setup = setup_of_version_1(rows.getColumn(1).getString(), conditions, more);
    conditions["spl_db"] = number(more, "spl_db", 0.0);
    more.erase("spl_db");
    conditions["polarity_flipped"] = taken_out(more, "polarity_flipped");
    conditions["more"] = more;
    update.bind(1, kind_word(setup));
    update.bind(2, to_json(setup));
    update.bind(3, dumped(conditions));
    update.bind(4, plan_item);
    update.bind(5, drawing);
    update.bind(6, rows.getColumn(0).getInt64());
    update.exec();
    update.reset();
  }
}

/// Stand of version 1: nine numbers by their places, "-" for what is not there.
std::string stand_of_version_1(const std::string& words) {
  static constexpr const char* kKeys[] = {
      "distance_m", "speaker_height_m", "microphone_height_m", "ceiling_m",
      "left_m",     "right_m",          "behind_speaker_m",    "behind_microphone_m"};
  Json json = Json::object();
  std::size_t place = 0;
  std::size_t from = 0;
  while (from <= words.size() && place < 9) {
    const std::size_t to = std::min(words.find(' ', from), words.size());
    const std::string word = words.substr(from, to - from);
    if (place == 8)
      json["ground_plane"] = word == "1";
    else if (const auto value = parse_number(word))
      json[kKeys[place]] = *value;
    ++place;
    from = to + 1;
  }
  return place == 9 ? dumped(json) : std::string();
}

void documents_to_version_2(SQLite::Database& database) {
  SQLite::Statement insert(
      database,
      "INSERT OR IGNORE INTO document(subject_id, kind, value) SELECT ?1, ?2, ?3 WHERE ?1 IS NULL "
      "OR EXISTS (SELECT 1 FROM subject WHERE id = ?1)");
  const auto keep = [&](std::int64_t subject, const char* kind, const std::string& value) {
    if (subject == 0)
      insert.bind(1);
    else
      insert.bind(1, subject);
    insert.bind(2, kind);
    insert.bind(3, value);
    insert.exec();
    insert.reset();
  };
  SQLite::Statement rows(database, "SELECT key, value FROM view");
  std::vector<std::string> moved;
  while (rows.executeStep()) {
    const std::string key = rows.getColumn(0).getString();
    const std::string value = rows.getColumn(1).getString();
    const auto of_subject = [&](const std::string& front) -> std::int64_t {
      if (!key.starts_with(front)) return 0;
      return static_cast<std::int64_t>(parse_number(key.substr(front.size())).value_or(0.0));
    };
    if (const auto id = of_subject("plan/"))
      keep(id, "plan", value);
    else if (const auto boxes = of_subject("boxes-"))
      keep(boxes, "box-candidates", value);
    else if (const auto practice = of_subject("practice-"))
      keep(practice, "practice", value);
    else if (key == "plan-templates" || key == "rig")
      keep(0, key.c_str(), value);
    else if (key == "stand")
      keep(0, "stand", stand_of_version_1(value));
    else
      continue;
    moved.push_back(key);
  }
  for (const std::string& key : moved) {
    SQLite::Statement forget(database, "DELETE FROM view WHERE key = ?");
    forget.bind(1, key);
    forget.exec();
  }
}

void variants_to_version_2(SQLite::Database& database) {
  database.exec("ALTER TABLE variant ADD COLUMN change TEXT NOT NULL DEFAULT ''");
  SQLite::Statement rows(database, "SELECT id, name, changed FROM variant");
  SQLite::Statement update(database, "UPDATE variant SET change = ? WHERE id = ?");
  while (rows.executeStep()) {
    update.bind(
        1, guessed_change(rows.getColumn(1).getString() + " " + rows.getColumn(2).getString()));
    update.bind(2, rows.getColumn(0).getInt64());
    update.exec();
    update.reset();
  }
}

void to_version_2(SQLite::Database& database) {
  database.exec("DROP TABLE derived");
  create_tables_of_version_2(database);
  takes_to_version_2(database);
  variants_to_version_2(database);
  database.exec(
      "INSERT INTO recipe(subject_id, role, value) SELECT id, 'far-field', recipe FROM subject;");
  SQLite::Statement near(database,
                         "INSERT INTO recipe(subject_id, role, value) SELECT id, 'near-field', "
                         "json_set(recipe, '$.gated', json('false')) FROM subject");
  near.exec();
  database.exec("ALTER TABLE subject DROP COLUMN recipe;");
  documents_to_version_2(database);
  group_takes(database, 0);
}

}  // namespace

void migrate(SQLite::Database& database, int from_version) {
  if (from_version < 2) to_version_2(database);
  database.exec(fmt::format("PRAGMA user_version = {};", kBookVersion));
}

}  // namespace lalometer
