#include "book/store/grouping.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <fmt/format.h>

#include <functional>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "book/json.h"
#include "book/records.h"

namespace lalometer {
namespace {

struct Row {
  Take take;
  Id sample_id = 0;
};

std::vector<Row> takes_of(SQLite::Database& database, std::int64_t subject) {
  SQLite::Statement rows(database,
                         "SELECT id, subject_id, variant_id, group_id, kind, setup, conditions, "
                         "sample_id, name FROM take WHERE removed = 0 AND accepted = 1 AND "
                         "form NOT IN ('worked', 'chart') AND "
                         "(?1 = 0 OR subject_id = ?1) ORDER BY id");
  rows.bind(1, subject);
  std::vector<Row> all;
  while (rows.executeStep()) {
    Row row;
    row.take.id = rows.getColumn(0).getInt64();
    row.take.subject_id = rows.getColumn(1).getInt64();
    row.take.variant_id = rows.getColumn(2).getInt64();
    row.take.group_id = rows.getColumn(3).getInt64();
    row.take.setup = setup_from_json(rows.getColumn(4).getString(), rows.getColumn(5).getString());
    row.take.conditions = conditions_from_json(rows.getColumn(6).getString());
    row.sample_id = rows.getColumn(7).getInt64();
    row.take.name = rows.getColumn(8).getString();
    all.push_back(std::move(row));
  }
  return all;
}

/// What takes of one group have in common; nothing where a take cannot be of that kind of group.
std::optional<std::string> alike(GroupKind kind, const Row& row) {
  const Take& t = row.take;
  const Conditions& c = t.conditions;
  const Placement p = place_of(t);
  const std::string who =
      fmt::format("{}|{}|{}|{}", t.variant_id, row.sample_id, c.driver, c.polarity_flipped);
  switch (kind) {
    case GroupKind::kOrbit:
      if (t.kind() != TakeKind::kResponse) return std::nullopt;
      return fmt::format("{}|{}|{}|{}|{}", who, condition_of(t), p.distance_m, c.drive_v,
                         p.listening_axis);
    case GroupKind::kNearField:
      if (t.kind() != TakeKind::kNearField) return std::nullopt;
      return fmt::format("{}|{}", t.variant_id, row.sample_id);
    case GroupKind::kLevels:
      if (t.kind() != TakeKind::kResponse && t.kind() != TakeKind::kLevelStep) return std::nullopt;
      return fmt::format("{}|{}|{}|{}|{}|{}", who, condition_of(t), p.distance_m, p.horizontal_deg,
                         p.vertical_deg, p.listening_axis);
    case GroupKind::kRepeats:
      if (t.kind() == TakeKind::kUnknown) return std::nullopt;
      return fmt::format("{}|{}|{}|{}", who, kind_word(t.setup), to_json(t.setup), c.drive_v);
  }
  return std::nullopt;
}

/// What differs between the members of a group; a group needs so many of them.
std::string member_mark(GroupKind kind, const Take& take) {
  switch (kind) {
    case GroupKind::kOrbit:
      return fmt::format("{}", position_in(kind, take));
    case GroupKind::kNearField:
      return std::get<NearFieldSetup>(take.setup).source;
    case GroupKind::kLevels:
      return fmt::format("{}", take.conditions.drive_v);
    case GroupKind::kRepeats:
      return fmt::format("{}", take.id);
  }
  return {};
}

std::size_t smallest_group(GroupKind kind) {
  return kind == GroupKind::kOrbit ? 3 : 2;
}

std::string group_name(GroupKind kind, const Take& first) {
  const std::string driver =
      first.conditions.driver.empty() ? std::string() : ", " + first.conditions.driver;
  switch (kind) {
    case GroupKind::kOrbit:
      return fmt::format("Orbit at {} m{}", place_of(first).distance_m, driver);
    case GroupKind::kNearField:
      return "Near field";
    case GroupKind::kLevels:
      return "Levels" + driver;
    case GroupKind::kRepeats:
      return first.name + ", repeats";
  }
  return {};
}

void group_of_one_kind(SQLite::Database& database, GroupKind kind, std::vector<Row>& rows) {
  std::map<std::string, std::vector<Row*>> buckets;
  for (Row& row : rows) {
    if (row.take.group_id != 0) continue;
    if (const auto key = alike(kind, row)) buckets[*key].push_back(&row);
  }
  for (auto& [key, members] : buckets) {
    const Take& first = members.front()->take;
    SQLite::Statement there(database,
                            "SELECT id FROM take_group WHERE subject_id = ? AND kind = ? AND alike "
                            "= ?");
    there.bind(1, first.subject_id);
    there.bind(2, std::string(word_of(kind)));
    there.bind(3, key);
    Id group = there.executeStep() ? there.getColumn(0).getInt64() : 0;
    if (group == 0) {
      std::set<std::string> marks;
      for (const Row* row : members) marks.insert(member_mark(kind, row->take));
      if (marks.size() < smallest_group(kind)) continue;
      SQLite::Statement insert(
          database,
          "INSERT INTO take_group(subject_id, variant_id, kind, name, alike) VALUES (?,?,?,?,?)");
      insert.bind(1, first.subject_id);
      insert.bind(2, first.variant_id);
      insert.bind(3, std::string(word_of(kind)));
      insert.bind(4, group_name(kind, first));
      insert.bind(5, key);
      insert.exec();
      group = database.getLastInsertRowid();
    }
    SQLite::Statement join(database, "UPDATE take SET group_id = ? WHERE id = ?");
    for (Row* row : members) {
      row->take.group_id = group;
      join.bind(1, group);
      join.bind(2, row->take.id);
      join.exec();
      join.reset();
    }
  }
}

}  // namespace

void group_takes(SQLite::Database& database, std::int64_t subject) {
  std::map<Id, std::vector<Row>> by_subject;
  for (Row& row : takes_of(database, subject))
    by_subject[row.take.subject_id].push_back(std::move(row));
  for (auto& [id, rows] : by_subject) {
    for (const GroupKind kind :
         {GroupKind::kOrbit, GroupKind::kNearField, GroupKind::kLevels, GroupKind::kRepeats})
      group_of_one_kind(database, kind, rows);
  }
}

}  // namespace lalometer
