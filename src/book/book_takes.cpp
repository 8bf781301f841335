#include <bit>
#include <cstring>

#include "base/hash.h"
#include "book/book.h"
#include "book/json.h"
#include "book/store/connection.h"
#include "book/store/grouping.h"

/// Takes and what belongs to them on their way into a book.
namespace lalometer {

static_assert(std::endian::native == std::endian::little, "raw recordings are little-endian");

RawData packed_recording(std::span<const double> measured, std::span<const double> loopback,
                         double sample_rate_hz) {
  RawData raw{.bytes = {}, .sample_rate_hz = sample_rate_hz, .channel_count = 2, .file_name = {}};
  raw.bytes.resize(measured.size() * 2 * sizeof(float));
  for (std::size_t i = 0; i < measured.size(); ++i) {
    const float pair[2] = {static_cast<float>(measured[i]), static_cast<float>(loopback[i])};
    std::memcpy(raw.bytes.data() + i * sizeof(pair), pair, sizeof(pair));
  }
  return raw;
}

UnpackedRecording unpacked_recording(std::span<const std::byte> bytes) {
  const std::size_t count = bytes.size() / (2 * sizeof(float));
  UnpackedRecording recording{std::vector<double>(count), std::vector<double>(count)};
  for (std::size_t i = 0; i < count; ++i) {
    float pair[2];
    std::memcpy(pair, bytes.data() + i * sizeof(pair), sizeof(pair));
    recording.measured[i] = static_cast<double>(pair[0]);
    recording.loopback[i] = static_cast<double>(pair[1]);
  }
  return recording;
}

Result<Id> Book::add_rig(const RigCalibration& rig) {
  return guarded(connection_->path, [&]() -> Id {
    const std::string json = to_json(rig);
    SQLite::Statement insert(connection_->database,
                             "INSERT OR IGNORE INTO rig(calibration, added_at) VALUES (?, ?)");
    insert.bind(1, json);
    insert.bind(2, utc_now());
    insert.exec();
    SQLite::Statement query(connection_->database, "SELECT id FROM rig WHERE calibration = ?");
    query.bind(1, json);
    query.executeStep();
    return query.getColumn(0).getInt64();
  });
}

namespace {

/// Row of the take's sample, made where it is not there yet; 0 where none is named.
Id sample_id(SQLite::Database& database, const Take& take) {
  const std::string& name = take.conditions.sample;
  if (name.empty()) return 0;
  SQLite::Statement insert(database,
                           "INSERT OR IGNORE INTO sample(subject_id, name) VALUES (?, ?)");
  insert.bind(1, take.subject_id);
  insert.bind(2, name);
  insert.exec();
  SQLite::Statement query(database, "SELECT id FROM sample WHERE subject_id = ? AND name = ?");
  query.bind(1, take.subject_id);
  query.bind(2, name);
  query.executeStep();
  return query.getColumn(0).getInt64();
}

}  // namespace

Result<Id> Book::add_take(const Take& take, const RawData& raw) {
  return add_takes({{take, raw}}).map([](const std::vector<Id>& ids) { return ids.front(); });
}

namespace {

/// The row comes in removed and is shown by a logged update: undo never deletes what others refer
/// to.
Id insert_take(SQLite::Database& database, const Take& take, const RawData& raw) {
  const std::string hash = sha256_hex(raw.bytes);
  SQLite::Statement keep(database, "INSERT OR IGNORE INTO raw VALUES (?, ?, ?, ?, ?)");
  keep.bind(1, hash);
  keep.bind(2, raw.sample_rate_hz);
  keep.bind(3, raw.channel_count);
  keep.bind(4, raw.file_name);
  keep.bindNoCopy(5, raw.bytes.data(), static_cast<int>(raw.bytes.size()));
  keep.exec();
  SQLite::Statement insert(
      database,
      "INSERT INTO take(subject_id, variant_id, rig_id, kind, form, name, conditions, raw_hash, "
      "raw_name, sample_rate_hz, remarks, accepted, taken_at, note, sample_id, setup, plan_item, "
      "drawing, removed) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 1)");
  const auto bind_id = [&](int place, Id id) {
    if (id == 0)
      insert.bind(place);
    else
      insert.bind(place, id);
  };
  insert.bind(1, take.subject_id);
  insert.bind(2, take.variant_id);
  bind_id(3, take.rig_id);
  insert.bind(4, kind_word(take.setup));
  insert.bind(5, std::string(word_of(take.form)));
  insert.bind(6, take.name);
  insert.bind(7, to_json(take.conditions));
  insert.bind(8, hash);
  insert.bind(9, raw.file_name);
  insert.bind(10, raw.sample_rate_hz);
  insert.bind(11, to_json(take.remarks));
  insert.bind(12, take.accepted ? 1 : 0);
  insert.bind(13, take.taken_at.empty() ? utc_now() : take.taken_at);
  insert.bind(14, take.note);
  bind_id(15, sample_id(database, take));
  insert.bind(16, to_json(take.setup));
  insert.bind(17, take.plan_item);
  insert.bind(18, take.drawing);
  insert.exec();
  const Id id = database.getLastInsertRowid();
  database.exec(fmt::format("UPDATE take SET removed = 0 WHERE id = {}", id));
  return id;
}

}  // namespace

Result<std::vector<Id>> Book::add_takes(const std::vector<std::pair<Take, RawData>>& takes) {
  std::vector<Id> ids;
  const std::string name = takes.size() == 1 ? "Take " + takes.front().first.name
                                             : fmt::format("{} takes", takes.size());
  return edit(name,
              [&] {
                for (const auto& [take, raw] : takes)
                  ids.push_back(insert_take(connection_->database, take, raw));
                if (!takes.empty())
                  group_takes(connection_->database, takes.front().first.subject_id);
              })
      .map([&] { return ids; });
}

Result<void> Book::set_colour(Id take, int colour) {
  return guarded(connection_->path, [&] {
    const WithoutWaiting quick(connection_->database);
    if (colour < 0) {
      connection_->database.exec(fmt::format("DELETE FROM on_score WHERE take_id = {}", take));
    } else {
      connection_->database.exec(
          fmt::format("INSERT OR REPLACE INTO on_score VALUES ({}, {})", take, colour));
    }
  });
}

Result<void> Book::set_view(const std::string& key, const std::string& value) {
  return guarded(connection_->path, [&] {
    const WithoutWaiting quick(connection_->database);
    SQLite::Statement insert(connection_->database, "INSERT OR REPLACE INTO view VALUES (?, ?)");
    insert.bind(1, key);
    insert.bind(2, value);
    insert.exec();
  });
}

void Book::keep_derived(const std::string& key, std::span<const std::byte> bytes,
                        std::int64_t limit_bytes) {
  if (connection_->read_only) return;
  // A cache: what cannot be kept is computed again next time.
  (void)guarded(connection_->path, [&] {
    const WithoutWaiting quick(connection_->database);
    SQLite::Transaction transaction(connection_->database, SQLite::TransactionBehavior::IMMEDIATE);
    SQLite::Statement insert(connection_->database,
                             "INSERT OR REPLACE INTO derived SELECT ?, ?, 1 + ifnull(max(used), 0) "
                             "FROM derived");
    insert.bind(1, key);
    insert.bind(2, bytes.data(), static_cast<int>(bytes.size()));
    insert.exec();
    SQLite::Statement forget(connection_->database,
                             "DELETE FROM derived WHERE used IN (SELECT used FROM (SELECT used, "
                             "sum(length(bytes)) OVER (ORDER BY used DESC) AS upto FROM derived) "
                             "WHERE upto > ?)");
    forget.bind(1, limit_bytes);
    forget.exec();
    transaction.commit();
  });
}

}  // namespace lalometer
