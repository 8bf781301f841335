#include <chrono>
#include <cstring>
#include <ctime>

#include "base/hash.h"
#include "book/book.h"
#include "book/description/description_text.h"
#include "book/json.h"
#include "book/store/connection.h"

namespace lalometer {
namespace {

std::optional<RawForm> form_of(const std::string& word) {
  for (const RawForm form :
       {RawForm::kRecording, RawForm::kTextFile, RawForm::kImpulseFile, RawForm::kSweepFile,
        RawForm::kSoundFile, RawForm::kWorked, RawForm::kChartPicture}) {
    if (word_of(form) == word) return form;
  }
  return std::nullopt;
}

constexpr const char* kTakeColumns =
    "SELECT take.id, subject_id, variant_id, rig_id, kind, form, name, conditions, raw_hash, "
    "raw_name, sample_rate_hz, remarks, accepted, taken_at, note, colour, group_id, setup, "
    "plan_item, drawing, (SELECT name FROM sample WHERE sample.id = sample_id) FROM take LEFT JOIN "
    "on_score ON take_id = take.id ";

Take take_from(SQLite::Statement& row) {
  Take take;
  take.id = row.getColumn(0).getInt64();
  take.subject_id = row.getColumn(1).getInt64();
  take.variant_id = row.getColumn(2).getInt64();
  take.rig_id = row.getColumn(3).getInt64();
  take.setup = setup_from_json(row.getColumn(4).getString(), row.getColumn(17).getString());
  if (const auto form = form_of(row.getColumn(5).getString()))
    take.form = *form;
  else
    take.setup = UnknownSetup{row.getColumn(4).getString(), row.getColumn(17).getString()};
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
  take.group_id = row.getColumn(16).getInt64();
  take.plan_item = row.getColumn(18).getString();
  take.drawing = row.getColumn(19).getString();
  take.conditions.sample = row.getColumn(20).getString();
  return take;
}

std::vector<std::byte> bytes_of(const SQLite::Column& column) {
  const auto* first = static_cast<const std::byte*>(column.getBlob());
  return {first, first + column.getBytes()};
}

std::vector<std::byte> derived_from(const SQLite::Database& database, const std::string& key) {
  SQLite::Statement row(database, "SELECT bytes FROM derived WHERE key = ?");
  row.bind(1, key);
  return row.executeStep() ? bytes_of(row.getColumn(0)) : std::vector<std::byte>();
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

Book::Book(std::unique_ptr<Connection> connection) : connection_(std::move(connection)) {}
Book::Book(Book&&) noexcept = default;
Book& Book::operator=(Book&&) noexcept = default;
Book::~Book() = default;

const std::filesystem::path& Book::path() const {
  return connection_->path;
}
bool Book::read_only() const {
  return connection_->read_only;
}

Result<std::vector<Subject>> Book::subjects() const {
  return guarded(connection_->path, [&] {
    std::vector<Subject> subjects;
    SQLite::Statement rows(
        connection_->database,
        "SELECT id, name, kind, description FROM subject WHERE removed = 0 ORDER BY id");
    while (rows.executeStep()) {
      // A damaged column reads as empty: the takes and the rest of the row stay reachable.
      const std::string kept = rows.getColumn(3).getString();
      subjects.push_back(
          {rows.getColumn(0).getInt64(), rows.getColumn(1).getString(),
           subject_kind_of(rows.getColumn(2).getString()).value_or(SubjectKind::kLoudspeaker),
           description_from_json(kept).value_or(Description{}), drawing_mark(kept)});
    }
    return subjects;
  });
}

Result<std::vector<Variant>> Book::variants(Id subject) const {
  return guarded(connection_->path, [&] {
    std::vector<Variant> variants;
    SQLite::Statement rows(
        connection_->database,
        "SELECT id, subject_id, name, changed, change FROM variant WHERE subject_id = ? "
        "AND removed = 0 ORDER BY id");
    rows.bind(1, subject);
    while (rows.executeStep()) {
      variants.push_back({rows.getColumn(0).getInt64(), rows.getColumn(1).getInt64(),
                          rows.getColumn(2).getString(), rows.getColumn(3).getString(),
                          rows.getColumn(4).getString()});
    }
    return variants;
  });
}

Result<std::vector<std::string>> Book::samples(Id subject) const {
  return guarded(connection_->path, [&] {
    std::vector<std::string> samples;
    SQLite::Statement rows(connection_->database,
                           "SELECT name FROM sample WHERE subject_id = ? ORDER BY name");
    rows.bind(1, subject);
    while (rows.executeStep()) samples.push_back(rows.getColumn(0).getString());
    return samples;
  });
}

Result<std::vector<Take>> Book::takes() const {
  return guarded(connection_->path, [&] {
    std::vector<Take> takes;
    SQLite::Statement rows(connection_->database,
                           std::string(kTakeColumns) + "WHERE removed = 0 ORDER BY take.id");
    while (rows.executeStep()) takes.push_back(take_from(rows));
    return takes;
  });
}

Result<Take> Book::take(Id id) const {
  auto found = guarded(connection_->path, [&]() -> std::optional<Take> {
    SQLite::Statement row(connection_->database, std::string(kTakeColumns) + "WHERE take.id = ?");
    row.bind(1, id);
    if (!row.executeStep()) return std::nullopt;
    return take_from(row);
  });
  if (!found) return tl::unexpected(found.error());
  if (!*found)
    return fail(ErrorCode::kNotFound, "This take is not in the book.", connection_->path.string());
  return std::move(**found);
}

Result<std::vector<TakeGroup>> Book::groups() const {
  return guarded(connection_->path, [&] {
    std::vector<TakeGroup> groups;
    SQLite::Statement rows(connection_->database,
                           "SELECT id, subject_id, variant_id, kind, name FROM take_group WHERE id "
                           "IN (SELECT group_id FROM take WHERE removed = 0) ORDER BY id");
    while (rows.executeStep()) {
      const auto kind = group_kind_of(rows.getColumn(3).getString());
      if (!kind) continue;
      groups.push_back({rows.getColumn(0).getInt64(), rows.getColumn(1).getInt64(),
                        rows.getColumn(2).getInt64(), *kind, rows.getColumn(4).getString()});
    }
    return groups;
  });
}

Result<Recipe> Book::recipe(Id subject, TakeRole role) const {
  return guarded(connection_->path, [&] {
    SQLite::Statement row(connection_->database,
                          "SELECT value FROM recipe WHERE subject_id = ? AND role = ?");
    row.bind(1, subject);
    row.bind(2, std::string(word_of(role)));
    return row.executeStep() ? recipe_from_json(row.getColumn(0).getString()) : usual_recipe(role);
  });
}

std::string Book::document(Id subject, const std::string& kind) const {
  return guarded(connection_->path,
                 [&] {
                   SQLite::Statement row(connection_->database,
                                         "SELECT value FROM document WHERE kind = ? AND "
                                         "ifnull(subject_id, 0) = ?");
                   row.bind(1, kind);
                   row.bind(2, subject);
                   return row.executeStep() ? row.getColumn(0).getString() : std::string();
                 })
      .value_or(std::string());
}

Result<RigCalibration> Book::rig(Id rig) const {
  return guarded(connection_->path, [&] {
    SQLite::Statement row(connection_->database, "SELECT calibration FROM rig WHERE id = ?");
    row.bind(1, rig);
    return row.executeStep() ? rig_from_json(row.getColumn(0).getString()) : RigCalibration{};
  });
}

Result<std::string> Book::note(Id subject) const {
  return guarded(connection_->path, [&] {
    SQLite::Statement row(connection_->database, "SELECT note FROM subject WHERE id = ?");
    row.bind(1, subject);
    return row.executeStep() ? row.getColumn(0).getString() : std::string();
  });
}

Result<std::vector<std::byte>> Book::raw(const std::string& hash) const {
  return raw_from(connection_->database, connection_->path, hash);
}

std::vector<std::byte> Book::derived(const std::string& key) const {
  return guarded(connection_->path, [&] { return derived_from(connection_->database, key); })
      .value_or(std::vector<std::byte>());
}

std::vector<std::byte> Book::read_derived(const std::filesystem::path& path,
                                          const std::string& key) {
  return guarded(path,
                 [&] {
                   const OpenTarget target = reading_target(path);
                   const SQLite::Database database(target.name, target.flags, 5000);
                   return derived_from(database, key);
                 })
      .value_or(std::vector<std::byte>());
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

std::string Book::view(const std::string& key) const {
  return guarded(connection_->path,
                 [&] {
                   SQLite::Statement row(connection_->database,
                                         "SELECT value FROM view WHERE key = ?");
                   row.bind(1, key);
                   return row.executeStep() ? row.getColumn(0).getString() : std::string();
                 })
      .value_or(std::string());
}

std::int64_t Book::foreign_changes() const {
  return guarded(connection_->path,
                 [&] { return connection_->database.execAndGet("PRAGMA data_version").getInt64(); })
      .value_or(0);
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
