#pragma once

#include <filesystem>
#include <functional>
#include <map>
#include <stop_token>

#include "base/progress.h"
#include "book/book.h"
#include "exchange/set/measurement_set.h"
#include "exchange/text_table.h"
#include "workbench/results/analysis.h"

namespace lalometer {

/// One file or one take of a set, understood but not yet taken.
struct ImportItem {
  std::string file;
  Take take;
  RawData raw;
  std::optional<RigCalibration> rig =
      std::nullopt;                             ///< where the set tells the microphone's correction
  std::optional<Recipe> recipe = std::nullopt;  ///< of an item of a book: its own
  std::string variant_id;                       ///< the set's own; empty for single files
  bool calibration = false;  ///< a microphone or interface correction, not a take
  /// Of a microphone's file that tells dB re full scale at 94 dB SPL: Pa peak per recorded 1.0.
  std::optional<double> pa_per_unit = std::nullopt;
  /// Of sound with an impulse response: its costly half, for whoever wants another gate.
  std::shared_ptr<const ImpulseStage> stage = nullptr;
  std::optional<Response> curve;  ///< for the preview; of sound files what the default recipe gives
  std::string understood;         ///< "412 rows, 20 Hz to 20 kHz, with phase"
  std::vector<std::string> notes;
  bool wanted = true;  ///< unticked in the preview: left out
};

/// What was understood of everything that was dropped; nothing of it is in the book yet.
struct ImportPreview {
  std::optional<Subject> subject;  ///< of a set; single files go to the subject the user chose
  std::vector<std::pair<std::string, Variant>> variants;
  double gate_s = 0.0;
  std::optional<Stand> stand = std::nullopt;  ///< what a set tells of its bench
  std::vector<ImportItem> items;
  std::vector<Error> problems;  ///< files that cannot be used, each with place and reason
};

/// What the user may decide where a file cannot tell.
struct ImportChoices {
  std::optional<ColumnKind> kind;    ///< of text files
  std::optional<Stimulus> stimulus;  ///< of sound files: makes them recorded sweeps
  int channel = 0;
  int loopback_channel = -1;
  double chirp_distance_m = 0.0;  ///< of a stimulus with reference chirps; 0: not told
  int sweep = 0;       ///< which of several in a recording, from 1; 0: their mean, or the first
  bool split = false;  ///< several sweeps that are no repeats become a take each
};

/// Reads all files (and folders with set.json). Never throws anything away silently: each path ends
/// up in items or problems. A stop leaves a preview without items. What a set or a folder holds is
/// read side by side.
[[nodiscard]] ImportPreview preview_import(const std::vector<std::filesystem::path>& paths,
                                           const ImportChoices& choices, std::stop_token stop = {},
                                           const Progress& progress = {},
                                           const Parallel& parallel = in_turn);

/// Curve and words of an item whose raw data and conditions are set.
/// @param recipe  of the curve; the stage behind it serves any other one.
[[nodiscard]] Result<void> describe_item(ImportItem& item, const Recipe& recipe,
                                         std::stop_token stop = {});
/// The same of many, side by side: added in their order, those that cannot be described as
/// problems. A stop adds nothing.
void add_described(ImportPreview& preview, std::vector<ImportItem> items,
                   const std::function<Result<void>(ImportItem&)>& describe,
                   const std::stop_token& stop, const Progress& progress, const Parallel& parallel);

/// Takes the wanted items into the book, all or none, as one step of undo. Set takes go to a new
/// subject of the set; single files to the given one (0: a new subject named after the first file).
struct ImportTarget {
  Id subject_id = 0;
  Id variant_id = 0;
};
[[nodiscard]] Result<std::vector<Id>> take_in(Book& book, const ImportPreview& preview,
                                              ImportTarget target);

/// A microphone or interface correction read from its file: the deviation of the device from flat,
/// in dB, which the program subtracts.
[[nodiscard]] Result<Response> read_correction(const std::filesystem::path& path);

}  // namespace lalometer
