#include "book/book.h"

#include <SQLiteCpp/Backup.h>

#include <bit>
#include <chrono>
#include <cstring>
#include <ctime>

#include "base/hash.h"
#include "book/json.h"
#include "book/room.h"

namespace lalometer {
namespace {

static_assert(std::endian::native == std::endian::little, "raw recordings are little-endian");

template <class Enum, std::size_t N>
Enum enum_of(const std::string& word, const Enum (&all)[N]) {
  for (const Enum candidate : all) {
    if (word_of(candidate) == word) return candidate;
  }
  return all[0];
}

constexpr RawForm kForms[] = {RawForm::kRecording, RawForm::kTextFile, RawForm::kImpulseFile,
                              RawForm::kSweepFile};
constexpr TakeKind kKinds[] = {TakeKind::kResponse, TakeKind::kImpedance};

constexpr const char* kTakeColumns =
    "SELECT take.id, subject_id, variant_id, rig_id, kind, form, name, conditions, raw_hash, "
    "raw_name, "
    "sample_rate_hz, remarks, accepted, taken_at, note, colour, "
    "(SELECT name FROM sample WHERE sample.id = sample_id) FROM take LEFT JOIN on_score ON "
    "take_id = take.id ";

Take take_from(SQLite::Statement& row) {
  Take take;
  take.id = row.getColumn(0).getInt64();
  take.subject_id = row.getColumn(1).getInt64();
  take.variant_id = row.getColumn(2).getInt64();
  take.rig_id = row.getColumn(3).getInt64();
  take.kind = enum_of(row.getColumn(4).getString(), kKinds);
  take.form = enum_of(row.getColumn(5).getString(), kForms);
  take.name = row.getColumn(6).getString();
  take.conditions = conditions_from_json(row.getColumn(7).getString());
  take.raw_hash = row.getColumn(8).getString();
  take.raw_name = row.getColumn(9).getString();
  take.sample_rate_hz = row.getColumn(10).getDouble();
  take.remarks = remarks_from_json(row.getColumn(11).getString());
  take.accepted = row.getColumn(12).getInt() != 0;
  take.taken_at = row.getColumn(13).getString();
  take.note = row.getColumn(14).getString();
  take.colour = row.getColumn(15).isNull() ? -1 : row.getColumn(15).getInt();
  take.conditions.sample = row.getColumn(16).getString();
  return take;
}

std::vector<std::byte> bytes_of(const SQLite::Column& column) {
  const auto* first = static_cast<const std::byte*>(column.getBlob());
  return {first, first + column.getBytes()};
}

Result<std::vector<std::byte>> raw_from(const SQLite::Database& database,
                                        const std::filesystem::path& path,
                                        const std::string& hash) {
  auto found = guarded(path, [&]() -> std::optional<std::vector<std::byte>> {
    SQLite::Statement query(database, "SELECT bytes FROM raw WHERE hash = ?");
    query.bind(1, hash);
    if (!query.executeStep()) return std::nullopt;
    return bytes_of(query.getColumn(0));
  });
  if (!found) return tl::unexpected(found.error());
  if (!*found)
    return fail(ErrorCode::kNotFound, "The raw data of this take is not in the book.",
                path.string());
  return std::move(**found);
}

}  // namespace

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

Book::Book(std::unique_ptr<Room> room) : room_(std::move(room)) {}
Book::Book(Book&&) noexcept = default;
Book& Book::operator=(Book&&) noexcept = default;
Book::~Book() = default;

const std::filesystem::path& Book::path() const {
  return room_->path;
}
bool Book::read_only() const {
  return room_->read_only;
}

Result<Book> Book::create(const std::filesystem::path& path) {
  std::error_code ignored;
  if (std::filesystem::exists(path, ignored)) {
    return bad_input("There is a file of this name already; it was left as it is.", path.string());
  }
  return guarded(path, [&] {
    auto room = std::make_unique<Room>(
        path, OpenTarget{path.string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE}, false);
    room->database.exec("PRAGMA journal_mode = WAL;");
    SQLite::Transaction transaction(room->database);
    create_schema(room->database);
    transaction.commit();
    room->configure();
    return Book(std::move(room));
  });
}

namespace {

/// Refuses what is not a book of a version that this program knows; needs no write access.
Result<int> version_of(const std::filesystem::path& path) {
  std::error_code problem;
  if (!std::filesystem::is_regular_file(path, problem)) {
    return fail(ErrorCode::kNotFound, "There is no such book.", path.string());
  }
  return guarded(path,
                 [&] {
                   const OpenTarget target = reading_target(path);
                   SQLite::Database database(target.name, target.flags, 5000);
                   const int application = database.execAndGet("PRAGMA application_id").getInt();
                   return application == kBookApplicationId
                              ? database.execAndGet("PRAGMA user_version").getInt()
                              : -1;
                 })
      .and_then([&](int version) -> Result<int> {
        if (version < 0)
          return bad_input("This is not a Lalometer book. The file was left as it is.",
                           path.string());
        if (version > kBookVersion) {
          return fail(ErrorCode::kNewerVersion,
                      fmt::format("This book was written by a newer Lalometer (format {}, this "
                                  "program knows {}). It "
                                  "was left as it is; update the program to open it.",
                                  version, kBookVersion),
                      path.string());
        }
        return version;
      });
}

bool writable(const std::filesystem::path& path) {
  // SQLite falls back to read-only by itself; asking it is more reliable than permission bits.
  try {
    SQLite::Database database(path.string(), SQLite::OPEN_READWRITE, 5000);
    if (sqlite3_db_readonly(database.getHandle(), "main") != 0) return false;
    database.exec("BEGIN IMMEDIATE; ROLLBACK;");
    return true;
  } catch (const SQLite::Exception& problem) {
    return problem.getErrorCode() == SQLITE_BUSY;
  }
}

}  // namespace

Result<Book> Book::open(const std::filesystem::path& path) {
  const Result<int> version = version_of(path);
  if (!version) return tl::unexpected(version.error());
  const bool may_write = writable(path);
  return guarded(path, [&] {
    auto room = std::make_unique<Room>(
        path, may_write ? OpenTarget{path.string(), SQLite::OPEN_READWRITE} : reading_target(path),
        !may_write);
    if (*version < kBookVersion && may_write) {
      room->database.backup((path.string() + fmt::format(".version-{}", *version)).c_str(),
                            SQLite::Database::Save);
      SQLite::Transaction transaction(room->database);
      migrate(room->database, *version);
      transaction.commit();
    }
    room->configure();
    // A cut-off file often opens well and fails on the first real page.
    room->database.execAndGet("SELECT count(*) FROM take");
    return Book(std::move(room));
  });
}

Result<std::vector<Subject>> Book::subjects() const {
  return guarded(room_->path, [&] {
    std::vector<Subject> subjects;
    SQLite::Statement rows(
        room_->database,
        "SELECT id, name, kind, description FROM subject WHERE removed = 0 ORDER BY id");
    while (rows.executeStep()) {
      subjects.push_back(
          {rows.getColumn(0).getInt64(), rows.getColumn(1).getString(),
           driver_kind_of(rows.getColumn(2).getString()).value_or(DriverKind::kLoudspeaker),
           rows.getColumn(3).getString()});
    }
    return subjects;
  });
}

Result<std::vector<Variant>> Book::variants(Id subject) const {
  return guarded(room_->path, [&] {
    std::vector<Variant> variants;
    SQLite::Statement rows(room_->database,
                           "SELECT id, subject_id, name, changed FROM variant WHERE subject_id = ? "
                           "AND removed = 0 ORDER BY id");
    rows.bind(1, subject);
    while (rows.executeStep()) {
      variants.push_back({rows.getColumn(0).getInt64(), rows.getColumn(1).getInt64(),
                          rows.getColumn(2).getString(), rows.getColumn(3).getString()});
    }
    return variants;
  });
}

Result<std::vector<std::string>> Book::samples(Id subject) const {
  return guarded(room_->path, [&] {
    std::vector<std::string> samples;
    SQLite::Statement rows(room_->database,
                           "SELECT name FROM sample WHERE subject_id = ? ORDER BY name");
    rows.bind(1, subject);
    while (rows.executeStep()) samples.push_back(rows.getColumn(0).getString());
    return samples;
  });
}

Result<std::vector<Take>> Book::takes() const {
  return guarded(room_->path, [&] {
    std::vector<Take> takes;
    SQLite::Statement rows(room_->database,
                           std::string(kTakeColumns) + "WHERE removed = 0 ORDER BY take.id");
    while (rows.executeStep()) takes.push_back(take_from(rows));
    return takes;
  });
}

Result<Take> Book::take(Id id) const {
  auto found = guarded(room_->path, [&]() -> std::optional<Take> {
    SQLite::Statement row(room_->database, std::string(kTakeColumns) + "WHERE take.id = ?");
    row.bind(1, id);
    if (!row.executeStep()) return std::nullopt;
    return take_from(row);
  });
  if (!found) return tl::unexpected(found.error());
  if (!*found)
    return fail(ErrorCode::kNotFound, "This take is not in the book.", room_->path.string());
  return std::move(**found);
}

Result<Recipe> Book::recipe(Id subject) const {
  return guarded(room_->path, [&] {
    SQLite::Statement row(room_->database, "SELECT recipe FROM subject WHERE id = ?");
    row.bind(1, subject);
    return row.executeStep() ? recipe_from_json(row.getColumn(0).getString()) : Recipe{};
  });
}

Result<RigCalibration> Book::rig(Id rig) const {
  return guarded(room_->path, [&] {
    SQLite::Statement row(room_->database, "SELECT calibration FROM rig WHERE id = ?");
    row.bind(1, rig);
    return row.executeStep() ? rig_from_json(row.getColumn(0).getString()) : RigCalibration{};
  });
}

Result<std::string> Book::note(Id subject) const {
  return guarded(room_->path, [&] {
    SQLite::Statement row(room_->database, "SELECT note FROM subject WHERE id = ?");
    row.bind(1, subject);
    return row.executeStep() ? row.getColumn(0).getString() : std::string();
  });
}

Result<Id> Book::add_rig(const RigCalibration& rig) {
  return guarded(room_->path, [&]() -> Id {
    const std::string json = to_json(rig);
    SQLite::Statement insert(room_->database,
                             "INSERT OR IGNORE INTO rig(calibration, added_at) VALUES (?, ?)");
    insert.bind(1, json);
    insert.bind(2, utc_now());
    insert.exec();
    SQLite::Statement query(room_->database, "SELECT id FROM rig WHERE calibration = ?");
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

Result<std::vector<Id>> Book::add_takes(const std::vector<std::pair<Take, RawData>>& takes) {
  return guarded(room_->path, [&] {
    SQLite::Transaction transaction(room_->database, SQLite::TransactionBehavior::IMMEDIATE);
    std::vector<Id> ids;
    for (const auto& [take, raw] : takes) {
      const std::string hash = sha256_hex(raw.bytes);
      SQLite::Statement keep(room_->database, "INSERT OR IGNORE INTO raw VALUES (?, ?, ?, ?, ?)");
      keep.bind(1, hash);
      keep.bind(2, raw.sample_rate_hz);
      keep.bind(3, raw.channel_count);
      keep.bind(4, raw.file_name);
      keep.bindNoCopy(5, raw.bytes.data(), static_cast<int>(raw.bytes.size()));
      keep.exec();
      SQLite::Statement insert(room_->database,
                               "INSERT INTO take(subject_id, variant_id, rig_id, kind, form, name, "
                               "conditions, raw_hash, "
                               "raw_name, sample_rate_hz, remarks, accepted, taken_at, note, "
                               "sample_id) "
                               "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)");
      insert.bind(1, take.subject_id);
      insert.bind(2, take.variant_id);
      if (take.rig_id == 0)
        insert.bind(3);
      else
        insert.bind(3, take.rig_id);
      insert.bind(4, std::string(word_of(take.kind)));
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
      if (const Id sample = sample_id(room_->database, take); sample != 0)
        insert.bind(15, sample);
      else
        insert.bind(15);
      insert.exec();
      ids.push_back(room_->database.getLastInsertRowid());
    }
    transaction.commit();
    return ids;
  });
}

Result<std::vector<std::byte>> Book::raw(const std::string& hash) const {
  return raw_from(room_->database, room_->path, hash);
}

Result<std::vector<std::byte>> Book::read_raw(const std::filesystem::path& path,
                                              const std::string& hash) {
  return guarded(path,
                 [&] {
                   const OpenTarget target = reading_target(path);
                   return std::make_unique<SQLite::Database>(target.name, target.flags, 5000);
                 })
      .and_then([&](const std::unique_ptr<SQLite::Database>& database) {
        return raw_from(*database, path, hash);
      });
}

Result<void> Book::set_colour(Id take, int colour) {
  return guarded(room_->path, [&] {
    const WithoutWaiting quick(room_->database);
    if (colour < 0) {
      room_->database.exec(fmt::format("DELETE FROM on_score WHERE take_id = {}", take));
    } else {
      room_->database.exec(
          fmt::format("INSERT OR REPLACE INTO on_score VALUES ({}, {})", take, colour));
    }
  });
}

Result<void> Book::set_view(const std::string& key, const std::string& value) {
  return guarded(room_->path, [&] {
    SQLite::Statement insert(room_->database, "INSERT OR REPLACE INTO view VALUES (?, ?)");
    insert.bind(1, key);
    insert.bind(2, value);
    insert.exec();
  });
}

std::string Book::view(const std::string& key) const {
  return guarded(room_->path,
                 [&] {
                   SQLite::Statement row(room_->database, "SELECT value FROM view WHERE key = ?");
                   row.bind(1, key);
                   return row.executeStep() ? row.getColumn(0).getString() : std::string();
                 })
      .value_or(std::string());
}

void Book::keep_derived(const std::string& key, std::span<const std::byte> bytes) {
  if (room_->read_only) return;
  // A cache: what cannot be kept is worked out again next time.
  (void)guarded(room_->path, [&] {
    const WithoutWaiting quick(room_->database);
    SQLite::Statement insert(room_->database, "INSERT OR REPLACE INTO derived VALUES (?, ?)");
    insert.bind(1, key);
    insert.bind(2, bytes.data(), static_cast<int>(bytes.size()));
    insert.exec();
  });
}

std::vector<std::byte> Book::derived(const std::string& key) const {
  return guarded(room_->path,
                 [&] {
                   SQLite::Statement row(room_->database,
                                         "SELECT bytes FROM derived WHERE key = ?");
                   row.bind(1, key);
                   return row.executeStep() ? bytes_of(row.getColumn(0)) : std::vector<std::byte>();
                 })
      .value_or(std::vector<std::byte>());
}

Result<void> Book::duplicate_to(const std::filesystem::path& path, std::stop_token stop,
                                const std::function<void(double)>& progress) const {
  std::error_code ignored;
  if (std::filesystem::exists(path, ignored)) {
    return bad_input("There is a file of this name already; it was left as it is.", path.string());
  }
  // In WAL an open book is three files: only SQLite's own copy is a whole one.
  auto copied = guarded(path, [&] {
    SQLite::Database target(path.string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
    SQLite::Backup backup(target, room_->database);
    // Some megabytes at a time, so that a stop is heard and a writer elsewhere gets its turn.
    constexpr int kPages = 1000;
    while (!stop.stop_requested() && backup.executeStep(kPages) != SQLITE_DONE) {
      const double whole = std::max(backup.getTotalPageCount(), 1);
      if (progress) progress(1.0 - backup.getRemainingPageCount() / whole);
    }
  });
  if (copied && stop.stop_requested()) copied = cancelled();
  if (!copied) std::filesystem::remove(path, ignored);
  return copied;
}

std::int64_t Book::foreign_changes() const {
  return guarded(room_->path,
                 [&] { return room_->database.execAndGet("PRAGMA data_version").getInt64(); })
      .value_or(0);
}

Result<void> Book::check_integrity() const {
  return guarded(room_->path,
                 [&] { return room_->database.execAndGet("PRAGMA integrity_check").getString(); })
      .and_then([&](const std::string& verdict) -> Result<void> {
        if (verdict == "ok") return {};
        return fail(ErrorCode::kStorage, "The book is damaged: " + verdict, room_->path.string());
      });
}

std::string utc_now() {
  const std::time_t now = std::chrono::system_clock::to_time_t(std::chrono::system_clock::now());
  std::tm parts{};
  gmtime_r(&now, &parts);
  char text[32];
  std::strftime(text, sizeof(text), "%Y-%m-%dT%H:%M:%SZ", &parts);
  return text;
}

}  // namespace lalometer
