#pragma once

#include <filesystem>
#include <optional>
#include <utility>
#include <vector>

#include "acoustics/placement/stand.h"
#include "book/book.h"
#include "book/records.h"

namespace lalometer {

/// A folder with `set.json` (docs/file-formats.md): a subject, its variants and its takes with
/// their raw files.
struct SetTake {
  std::string id;          ///< the set's own
  std::string variant_id;  ///< the set's own; empty where the set names none
  Take take;               ///< kind, form, name, conditions; ids of a book are not set
  RawData raw;
  /// Correction of the microphone a recording was taken with (key "microphone_correction": a .cal
  /// file beside it), to be taken out.
  std::optional<Response> microphone_correction = std::nullopt;
};

struct MeasurementSet {
  Subject subject;
  std::vector<std::pair<std::string, Variant>> variants;  ///< the set's own id and the variant
  std::vector<SetTake> takes;
  std::string bench_json = "{}";
  /// What the bench says of its surfaces; nothing where it names none.
  std::optional<Stand> stand = std::nullopt;
  double gate_s = 0.0;             ///< of the takes that name one; 0 where none does
  std::vector<std::string> notes;  ///< takes of kinds that are not read yet, and the like
};

/// Reads the folder or its set.json. Every file is opened and its columns or samples are checked;
/// the first that cannot be used is an error naming file, place and reason. Kinds of take that this
/// version does not read are kept out and named in the notes.
[[nodiscard]] Result<MeasurementSet> read_set(const std::filesystem::path& path);

/// Writes a folder that read_set() reads back the same. The folder is made; a set.json in it is an
/// error.
[[nodiscard]] Result<void> write_set(const MeasurementSet& set,
                                     const std::filesystem::path& folder);

}  // namespace lalometer
