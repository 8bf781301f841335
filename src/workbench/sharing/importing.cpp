#include "workbench/sharing/importing.h"

#include <algorithm>
#include <atomic>
#include <cmath>

#include "base/text.h"
#include "exchange/audio_file.h"
#include "exchange/curve_file.h"
#include "workbench/keeping/plan_keeping.h"
#include "workbench/level/tones_study.h"
#include "workbench/results/analysis.h"
#include "workbench/sharing/orbit_importing.h"

namespace lalometer {
namespace {

namespace fs = std::filesystem;

std::string ending_of(const fs::path& path) {
  std::string ending = path.extension().string();
  std::transform(ending.begin(), ending.end(), ending.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return ending;
}

std::string span_text(const Response& curve) {
  return fmt::format("{} to {}", frequency_text(curve.axis().front()),
                     frequency_text(curve.axis().back()));
}

/// Bands per octave that a set tells its curves were read with; 0: none.
int told_smoothing(const Take& take) {
  constexpr double kFinest = 96.0;
  const auto found = take.conditions.more_json.find("smoothing");
  if (found == take.conditions.more_json.end()) return 0;
  const auto n = parse_number(found->second);
  return n && *n >= 1.0 && *n <= kFinest ? static_cast<int>(*n) : 0;
}

/// For the preview: as a set's own gate shows it, unsmoothed where it tells nothing else.
Result<void> describe(ImportItem& item, double gate_s, std::stop_token stop) {
  Recipe recipe;
  recipe.smoothing = told_smoothing(item.take);
  if (gate_s > 0.0) recipe.gate_s = gate_s;
  return describe_item(item, recipe, std::move(stop));
}

Result<ImportItem> read_text_item(const fs::path& path, std::vector<std::byte> bytes,
                                  const ImportChoices& choices, std::stop_token stop) {
  ImportItem item;
  item.file = path.filename().string();
  // Read first as a response, whose limits are the widest, to have something to guess from.
  ColumnKind kind = choices.kind.value_or(ColumnKind::kResponse);
  if (!choices.kind) {
    const std::string ending = ending_of(path);
    if (ending == ".zma")
      kind = ColumnKind::kImpedance;
    else if (ending == ".cal")
      kind = ColumnKind::kCalibration;
    else if (ending != ".frd") {
      const auto table = read_text_table(bytes, path.string(), ColumnKind::kResponse);
      const auto guess =
          table ? guessed_kind(item.file, *table) : std::optional(ColumnKind::kImpedance);
      if (!guess) {
        return bad_input(
            "The file does not tell whether it holds a response or an impedance: say which.",
            path.string());
      }
      kind = *guess;
      item.notes.push_back(
          fmt::format("Taken for {} by its contents.",
                      kind == ColumnKind::kImpedance ? "an impedance" : "a response"));
    }
  }
  const auto table = read_text_table(bytes, path.string(), kind);
  if (!table) return tl::unexpected(table.error());
  if (kind == ColumnKind::kImpedance) item.take.setup = ImpedanceSetup{};
  item.take.form = RawForm::kTextFile;
  item.take.name = path.stem().string();
  item.raw = {std::move(bytes), 0.0, 0, item.file};
  if (kind == ColumnKind::kCalibration) {
    item.calibration = true;
    if (const auto told = told_sensitivity(table->comments)) {
      if (told->dbfs_at_94) {
        item.pa_per_unit = pa_per_unit_of(94.0 - *told->dbfs_at_94);
        item.notes.push_back(
            fmt::format("\"{}\" is read as {} dB re full scale at 94 dB SPL: full scale is {:.1f} "
                        "dB SPL, at the gain the microphone had then.",
                        told->line, shortest(*told->dbfs_at_94), 94.0 - *told->dbfs_at_94));
      } else {
        item.notes.push_back(
            fmt::format("\"{}\" is read as {} mV/Pa: a level needs the input's volts at full scale "
                        "beside it, so none is set by it.",
                        told->line, shortest(*told->mv_per_pa)));
      }
    }
    item.curve = curve_of(*table, kind);
    item.notes.insert(item.notes.end(), table->notes.begin(), table->notes.end());
    item.understood =
        fmt::format("correction, {} rows, {}", table->rows.size(), span_text(*item.curve));
    return item;
  }
  return describe(item, 0.0, stop).map([&] { return item; });
}

Result<ImportItem> read_sound_item(const fs::path& path, std::vector<std::byte> bytes,
                                   const ImportChoices& choices, std::stop_token stop) {
  const auto audio = read_audio(bytes, path.string());
  if (!audio) return tl::unexpected(audio.error());
  ImportItem item;
  item.file = path.filename().string();
  item.take.form = choices.stimulus ? RawForm::kSweepFile : RawForm::kImpulseFile;
  item.take.name = path.stem().string();
  item.take.sample_rate_hz = audio->sample_rate_hz;
  item.take.conditions.channel = choices.channel;
  item.take.conditions.distance_told = false;
  item.take.conditions.loopback_channel = choices.loopback_channel;
  item.take.conditions.sweep = choices.sweep;
  item.take.conditions.chirp_distance_m = choices.chirp_distance_m;
  if (choices.stimulus) item.take.conditions.stimulus = *choices.stimulus;
  item.notes.push_back(fmt::format("{}, {} channels.", audio->format, audio->channels.size()));
  item.raw = {std::move(bytes), audio->sample_rate_hz, 0, item.file};
  return describe(item, 0.0, stop).map([&] { return item; });
}

/// A recorder that ran on: several sweeps that nobody called repeats.
bool splits(const ImportItem& item, const ImportChoices& choices) {
  return choices.split && choices.sweep == 0 && item.stage && item.stage->sweeps_found > 1 &&
         item.take.conditions.stimulus.repeats == 1;
}

/// A take of each, in their order; they share the file.
void add_each_sweep(ImportPreview& preview, const ImportItem& whole, const std::stop_token& stop,
                    const Progress& progress) {
  const int count = whole.stage->sweeps_found;
  for (int k = 1; k <= count && !stop.stop_requested(); ++k) {
    progress(static_cast<double>(k) / count);
    ImportItem item;
    item.file = whole.file;
    item.take = whole.take;
    item.take.name = fmt::format("{} {}", whole.take.name, k);
    item.take.conditions.sweep = k;
    item.raw = whole.raw;
    if (const auto described = describe(item, 0.0, stop); !described) {
      preview.problems.push_back(described.error());
      continue;
    }
    item.understood = fmt::format("sweep {} of {} in one recording, {} Hz", k, count,
                                  shortest(item.raw.sample_rate_hz));
    preview.items.push_back(std::move(item));
  }
}

void read_set_into(ImportPreview& preview, const fs::path& path, const ImportChoices& choices,
                   const std::stop_token& stop, const Progress& progress,
                   const Parallel& parallel) {
  auto set = read_set(path);
  if (!set) {
    preview.problems.push_back(set.error());
    return;
  }
  preview.subject = set->subject;
  preview.variants = set->variants;
  preview.gate_s = set->gate_s;
  preview.stand = set->stand;
  std::vector<ImportItem> items;
  for (SetTake& taken : set->takes) {
    ImportItem item;
    item.file = taken.raw.file_name;
    item.take = std::move(taken.take);
    if (choices.sweep > 0 && item.take.form == RawForm::kSweepFile)
      item.take.conditions.sweep = choices.sweep;
    item.take.sample_rate_hz = taken.raw.sample_rate_hz;
    item.raw = std::move(taken.raw);
    if (taken.microphone_correction) {
      item.rig = RigCalibration{};
      item.rig->rig_name = "As told by the set";
      item.rig->microphone_correction = std::move(taken.microphone_correction);
    }
    item.variant_id = taken.variant_id;
    items.push_back(std::move(item));
  }
  add_described(
      preview, std::move(items),
      [&](ImportItem& item) { return describe(item, set->gate_s, stop); }, stop, progress,
      parallel);
  for (const std::string& note : set->notes)
    preview.problems.push_back({ErrorCode::kBadInput, note, ""});
}

}  // namespace

Result<void> describe_item(ImportItem& item, const Recipe& recipe, std::stop_token stop) {
  Take take = item.take;
  take.raw_name = item.file;
  if (holds_multitone(take)) {
    const auto study = multitone_study(take, item.raw.bytes);
    if (!study) {
      // Kept all the same: its tones may be told later.
      item.understood = "multitone, kept whole; not read: " + study.error().message;
      return {};
    }
    const std::vector<double>& tones = study->reading.tones_hz;
    item.understood = fmt::format("{} tones, {} to {}", tones.size(), frequency_text(tones.front()),
                                  frequency_text(tones.back()));
    const double range = study->reading.range_db();
    if (std::isfinite(range)) item.understood += fmt::format(", {:.0f} dB over the rest", range);
    return {};
  }
  if (!has_curve(take)) {
    item.understood =
        fmt::format("{}, kept whole; not read by this version", kind_word(take.setup));
    return {};
  }
  const AnalysisInput input{take, item.raw.bytes, item.rig.value_or(RigCalibration{}), recipe};
  Result<Analysis> result = cancelled();
  if (has_impulse(take)) {
    // Kept: whoever wants another gate need not deconvolve again.
    auto stage = impulse_stage(input, stop);
    if (!stage) return tl::unexpected(stage.error());
    item.stage = std::make_shared<const ImpulseStage>(std::move(*stage));
    result = curve_stage(*item.stage, recipe);
  } else {
    result = analysed(input, stop);
  }
  if (!result) return tl::unexpected(result.error());
  item.curve = result->curve;
  item.notes.insert(item.notes.end(), result->notes.begin(), result->notes.end());
  const std::string_view what = word_of(item.take.kind());
  switch (item.take.form) {
    case RawForm::kTextFile:
      item.understood =
          fmt::format("{}, {} rows, {}, {}", what, result->curve.size(), span_text(result->curve),
                      result->curve.has_phase() ? "with phase" : "without phase");
      break;
    case RawForm::kImpulseFile:
      item.understood = fmt::format("impulse response, {} Hz, arrival at {:.2f} ms",
                                    item.raw.sample_rate_hz, result->arrival_s * 1e3);
      break;
    case RawForm::kSweepFile:
      item.understood = fmt::format("recorded sweep, {} Hz, arrival at {:.2f} ms",
                                    item.raw.sample_rate_hz, result->arrival_s * 1e3);
      break;
    case RawForm::kRecording:
    case RawForm::kSoundFile:
    case RawForm::kWorked:
    case RawForm::kChartPicture:
      break;
  }
  return {};
}

void add_described(ImportPreview& preview, std::vector<ImportItem> items,
                   const std::function<Result<void>(ImportItem&)>& describe,
                   const std::stop_token& stop, const Progress& progress,
                   const Parallel& parallel) {
  std::vector<Result<void>> described(items.size(), cancelled());
  std::atomic<std::size_t> done = 0;
  parallel(items.size(), [&](std::size_t i) {
    if (stop.stop_requested()) return;
    described[i] = describe(items[i]);
    if (progress) progress(static_cast<double>(++done) / static_cast<double>(items.size()));
  });
  if (stop.stop_requested()) return;
  for (std::size_t i = 0; i < items.size(); ++i) {
    if (described[i])
      preview.items.push_back(std::move(items[i]));
    else
      preview.problems.push_back(described[i].error());
  }
}

ImportPreview preview_import(const std::vector<fs::path>& paths, const ImportChoices& choices,
                             std::stop_token stop, const Progress& progress,
                             const Parallel& parallel) {
  ImportPreview preview;
  const double share = 1.0 / static_cast<double>(std::max<std::size_t>(paths.size(), 1));
  for (std::size_t i = 0; i < paths.size(); ++i) {
    if (stop.stop_requested()) return {};
    const fs::path& path = paths[i];
    const auto tell = [&](double part) {
      if (progress) progress(share * (static_cast<double>(i) + part));
    };
    tell(0.0);
    std::error_code ignored;
    if (fs::is_directory(path, ignored) && !fs::exists(path / "set.json", ignored)) {
      read_angle_folder(preview, path, choices, stop, tell, parallel);
      continue;
    }
    if (ending_of(path) == ".sofa") {
      read_sofa_into(preview, path, stop, parallel);
      continue;
    }
    if (fs::is_directory(path, ignored) || ending_of(path) == ".json") {
      read_set_into(preview, path, choices, stop, tell, parallel);
      continue;
    }
    auto bytes = file_bytes(path);
    if (!bytes) {
      preview.problems.push_back(bytes.error());
      continue;
    }
    const std::string ending = ending_of(path);
    const bool sound = ending == ".wav" || ending == ".flac";
    auto item = sound ? read_sound_item(path, std::move(*bytes), choices, stop)
                      : read_text_item(path, std::move(*bytes), choices, stop);
    if (!item) {
      preview.problems.push_back(item.error());
    } else if (splits(*item, choices)) {
      add_each_sweep(preview, *item, stop, tell);
    } else {
      preview.items.push_back(std::move(*item));
    }
  }
  return stop.stop_requested() ? ImportPreview{} : preview;
}

namespace {

/// Subject and variants of a set, made for it.
struct Places {
  Id subject_id = 0;
  Id variant_id = 0;  ///< for items that name none; 0: not made yet
  std::map<std::string, Id> variant_ids;
};

Result<Places> made_places(Book& book, const ImportPreview& preview, const std::string& name) {
  Subject subject = preview.subject.value_or(Subject{});
  if (subject.name.empty()) subject.name = name;
  const auto added = book.add_subject(subject);
  if (!added) return tl::unexpected(added.error());
  Places places{*added, 0, {}};
  for (const auto& [id, variant] : preview.variants) {
    Variant own = variant;
    own.id = 0;
    own.subject_id = *added;
    const auto made = book.add_variant(own);
    if (!made) return tl::unexpected(made.error());
    places.variant_ids[id] = *made;
  }
  if (preview.stand) {
    if (auto set = book.set_document(*added, "stand", to_json(*preview.stand), "Import"); !set)
      return tl::unexpected(set.error());
  }
  if (preview.gate_s > 0.0) {
    Recipe recipe;
    recipe.gate_s = preview.gate_s;
    if (auto set = book.set_recipe(*added, recipe); !set) return tl::unexpected(set.error());
  }
  return places;
}

Result<std::vector<Id>> take_in_together(Book& book, const ImportPreview& preview,
                                         ImportTarget target) {
  const auto wanted = [](const ImportItem& item) { return item.wanted && !item.calibration; };
  const auto first = std::find_if(preview.items.begin(), preview.items.end(), wanted);
  if (first == preview.items.end()) return std::vector<Id>{};
  Places places{target.subject_id, target.variant_id, {}};
  if (preview.subject || target.subject_id == 0) {
    auto made = made_places(book, preview, first->take.name);
    if (!made) return tl::unexpected(made.error());
    places = std::move(*made);
  }
  std::vector<std::pair<Take, RawData>> takes;
  for (const ImportItem& item : preview.items) {
    if (!wanted(item)) continue;
    Take take = item.take;
    // What was named by a plan knows its variant.
    const Id planned = take.subject_id == places.subject_id ? take.variant_id : 0;
    take.subject_id = places.subject_id;
    const auto named = places.variant_ids.find(item.variant_id);
    take.variant_id = planned != 0                        ? planned
                      : named != places.variant_ids.end() ? named->second
                                                          : places.variant_id;
    if (take.variant_id == 0) {
      const auto made = book.add_variant({0, places.subject_id, "As it is", "", ""});
      if (!made) return tl::unexpected(made.error());
      places.variant_id = take.variant_id = *made;
    }
    if (item.rig) {
      const auto rig = book.add_rig(*item.rig);
      if (!rig) return tl::unexpected(rig.error());
      take.rig_id = *rig;
    }
    takes.emplace_back(std::move(take), item.raw);
  }
  return book.add_takes(takes);
}

}  // namespace

Result<std::vector<Id>> take_in(Book& book, const ImportPreview& preview, ImportTarget target) {
  return book.together<std::vector<Id>>("Import",
                                        [&] { return take_in_together(book, preview, target); });
}

Result<Response> read_correction(const fs::path& path) {
  return file_bytes(path).and_then([&](const std::vector<std::byte>& bytes) {
    return read_text_table(bytes, path.string(), ColumnKind::kCalibration)
        .map([](const TextTable& table) { return curve_of(table, ColumnKind::kCalibration); });
  });
}

}  // namespace lalometer
