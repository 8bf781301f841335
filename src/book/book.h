#pragma once

#include <filesystem>
#include <functional>
#include <memory>
#include <span>
#include <stop_token>
#include <string>
#include <vector>

#include "base/result.h"
#include "book/records.h"
#include "book/rig_calibration.h"

namespace lalometer {

/// Raw data on its way into the book. The bytes are never altered; their SHA-256 names them.
struct RawData {
  std::vector<std::byte> bytes;
  double sample_rate_hz = 0.0;  ///< 0 for text files
  int channel_count = 0;        ///< 0 for files kept byte for byte
  std::string file_name;        ///< empty for recordings
};

/// Both channels of a recording as little-endian float32, interleaved (measured, loopback).
/// Precondition: equally long.
[[nodiscard]] RawData packed_recording(std::span<const double> measured,
                                       std::span<const double> loopback, double sample_rate_hz);
struct UnpackedRecording {
  std::vector<double> measured;
  std::vector<double> loopback;
};
[[nodiscard]] UnpackedRecording unpacked_recording(std::span<const std::byte> bytes);

/// One file with everything about a set of subjects (docs/book-format.md). Every call that changes
/// something is committed when it returns. All errors come as Result; a failed call leaves the book
/// as it was.
///
/// Threads: a Book belongs to the thread that opened it. Workers read raw data through read_raw().
class Book {
 public:
  /// A new book; the file must not exist.
  [[nodiscard]] static Result<Book> create(const std::filesystem::path& path);
  /// Refuses foreign files, damaged ones and books from a newer version, each by name. A book of an
  /// older version is brought forward after a copy of it was put beside it. A book that cannot be
  /// written is opened for reading.
  [[nodiscard]] static Result<Book> open(const std::filesystem::path& path);

  Book(Book&&) noexcept;
  Book& operator=(Book&&) noexcept;
  ~Book();

  [[nodiscard]] const std::filesystem::path& path() const;
  [[nodiscard]] bool read_only() const;

  [[nodiscard]] Result<std::vector<Subject>> subjects() const;
  [[nodiscard]] Result<std::vector<Variant>> variants(Id subject) const;
  /// Samples of a subject that takes were made of ("A", "B"), by name.
  [[nodiscard]] Result<std::vector<std::string>> samples(Id subject) const;
  /// All takes that are not removed, in the order they were taken; never touches raw data.
  [[nodiscard]] Result<std::vector<Take>> takes() const;
  [[nodiscard]] Result<Take> take(Id id) const;
  /// Groups that have at least one member that is not removed.
  [[nodiscard]] Result<std::vector<TakeGroup>> groups() const;
  [[nodiscard]] Result<Recipe> recipe(Id subject, TakeRole role = TakeRole::kFarField) const;
  [[nodiscard]] Result<RigCalibration> rig(Id rig) const;
  [[nodiscard]] Result<std::string> note(Id subject) const;

  [[nodiscard]] Result<Id> add_subject(const Subject& subject);
  [[nodiscard]] Result<Id> add_variant(const Variant& variant);
  /// The same calibration is kept once; its id is given back.
  [[nodiscard]] Result<Id> add_rig(const RigCalibration& rig);
  /// Keeps raw data and take in one transaction, and puts it into the group it belongs to. Undo
  /// takes it from the shelf; the raw data stay.
  [[nodiscard]] Result<Id> add_take(const Take& take, const RawData& raw);
  /// All or none.
  [[nodiscard]] Result<std::vector<Id>> add_takes(
      const std::vector<std::pair<Take, RawData>>& takes);

  /// Several changes as one transaction and one step of undo: all or none.
  template <class T>
  [[nodiscard]] Result<T> together(const std::string& name,
                                   const std::function<Result<T>()>& changes) {
    if (auto begun = begin_together(); !begun) return tl::unexpected(begun.error());
    Result<T> outcome = changes();
    if (auto ended = end_together(name, outcome.has_value()); !ended && outcome)
      return tl::unexpected(ended.error());
    return outcome;
  }

  [[nodiscard]] Result<std::vector<std::byte>> raw(const std::string& hash) const;
  /// Reads raw data through a connection of its own: for workers.
  [[nodiscard]] static Result<std::vector<std::byte>> read_raw(const std::filesystem::path& path,
                                                               const std::string& hash);

  /// Edits: each is one step of undo, named for the menu ("Change the gate").
  [[nodiscard]] Result<void> set_recipe(Id subject, const Recipe& recipe,
                                        TakeRole role = TakeRole::kFarField);
  /// The subject's description (geometry, drivers, box).
  [[nodiscard]] Result<void> set_description(Id subject, const Description& description);
  [[nodiscard]] Result<void> rename_subject(Id subject, const std::string& name);
  [[nodiscard]] Result<void> rename_take(Id take, const std::string& name);
  /// Name, sentence and kind of change.
  [[nodiscard]] Result<void> set_variant(const Variant& variant);
  [[nodiscard]] Result<void> set_take_note(Id take, const std::string& note);
  [[nodiscard]] Result<void> set_note(Id subject, const std::string& note);
  /// How a take was made, told again: the place of a join, points of a traced chart.
  [[nodiscard]] Result<void> set_conditions(Id take, const Conditions& conditions,
                                            const std::string& step_name);
  /// Takes analysed with another rig's calibration from now on: a later calibration mends old
  /// takes.
  [[nodiscard]] Result<void> set_rig(const std::vector<Id>& takes, Id rig);
  [[nodiscard]] Result<void> remove_take(Id take);
  [[nodiscard]] Result<void> remove_subject(Id subject);

  /// What the program keeps of a subject as one text: its plan, its box candidates, a verdict. Of
  /// the whole book with subject 0: the rig, the stand, templates of plans.
  [[nodiscard]] Result<void> set_document(Id subject, const std::string& kind,
                                          const std::string& value, const std::string& step_name);
  /// Empty where there is none.
  [[nodiscard]] std::string document(Id subject, const std::string& kind) const;

  /// Name of the step that would be undone or redone; empty where there is none.
  [[nodiscard]] std::string undo_name() const;
  [[nodiscard]] std::string redo_name() const;
  /// Puts back what a step changed, as far as nobody else has changed it since. Where all of it
  /// was changed elsewhere the step is given up; the error says that, and also where only a part
  /// was.
  [[nodiscard]] Result<void> undo();
  [[nodiscard]] Result<void> redo();

  /// What lies on the score and how the window looks: kept, but not edits.
  [[nodiscard]] Result<void> set_colour(Id take, int colour);
  [[nodiscard]] Result<void> set_view(const std::string& key, const std::string& value);
  [[nodiscard]] std::string view(const std::string& key) const;

  /// Results that cost something, under the hash of their inputs. A failure to keep one is not an
  /// error. The oldest are forgotten where they take more than kDerivedLimit_bytes.
  static constexpr std::int64_t kDerivedLimit_bytes = 16 * 1024 * 1024;
  void keep_derived(const std::string& key, std::span<const std::byte> bytes,
                    std::int64_t limit_bytes = kDerivedLimit_bytes);
  [[nodiscard]] std::vector<std::byte> derived(const std::string& key) const;
  /// Through a connection of its own: for workers.
  [[nodiscard]] static std::vector<std::byte> read_derived(const std::filesystem::path& path,
                                                           const std::string& key);

  /// A consistent copy of the book in another file, which must not exist.
  /// A stop leaves no file behind.
  [[nodiscard]] Result<void> duplicate_to(const std::filesystem::path& path,
                                          std::stop_token stop = {},
                                          const std::function<void(double)>& progress = {}) const;
  /// Changes whenever another connection committed something.
  [[nodiscard]] std::int64_t foreign_changes() const;
  /// "ok" from SQLite's own check of the whole file.
  [[nodiscard]] Result<void> check_integrity() const;

 private:
  struct Connection;
  explicit Book(std::unique_ptr<Connection> connection);
  [[nodiscard]] static Book brought_forward_in_memory(const std::filesystem::path& path,
                                                      int version);
  [[nodiscard]] Result<void> edit(const std::string& name, const std::function<void()>& change);
  [[nodiscard]] Result<void> step(bool back);
  [[nodiscard]] Result<void> begin_together();
  [[nodiscard]] Result<void> end_together(const std::string& name, bool keep);
  std::unique_ptr<Connection> connection_;
};

/// Now as ISO 8601 in UTC, "2031-05-04T13:07:55Z".
[[nodiscard]] std::string utc_now();

}  // namespace lalometer
