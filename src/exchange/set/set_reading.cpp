#include <fmt/format.h>

#include <nlohmann/json.hpp>
#include <set>

#include "base/json_text.h"
#include "base/text.h"
#include "book/description/description_text.h"
#include "exchange/audio_file.h"
#include "exchange/curve_file.h"
#include "exchange/set/measurement_set.h"
#include "exchange/set/set_stimulus.h"
#include "exchange/text_table.h"

namespace lalometer {
namespace {

using Json = nlohmann::ordered_json;
using Reader = SetReader;

const std::set<std::string> kKnownTakeKeys = {"id",
                                              "sweep",
                                              "chirp_distance_m",
                                              "kind",
                                              "file",
                                              "condition",
                                              "driver",
                                              "sample",
                                              "variant",
                                              "horizontal_deg",
                                              "vertical_deg",
                                              "distance_m",
                                              "drive_v",
                                              "gate_ms",
                                              "delay_included",
                                              "channel",
                                              "t0_s",
                                              "stimulus",
                                              "note",
                                              "loopback_channel",
                                              "name",
                                              "pa_per_v",
                                              "pa_per_unit",
                                              "microphone_correction",
                                              "added_mass_g",
                                              "test_box_l",
                                              "source",
                                              "distance_mm",
                                              "tones_hz",
                                              "spl_db",
                                              "polarity_flipped",
                                              "listening_axis",
                                              "plan_item",
                                              "drawing"};

/// Subject's part of the set: checked where this version relies on it, kept whole.
Result<Subject> read_subject(const Json& root, const std::string& file) {
  const auto found = root.find("subject");
  if (found == root.end() || !found->is_object())
    return bad_input("The set has no \"subject\".", file);
  Reader reader(*found, file + ": subject");
  Subject subject;
  subject.name = reader.text("name", "Unnamed");
  const std::string kind = reader.text("kind", "loudspeaker");
  reader.require(kind == "driver" || kind == "loudspeaker",
                 fmt::format("\"kind\" is \"{}\", should be driver or loudspeaker.", kind));
  static const std::set<std::string> loadings = {
      "",       "free-air",         "large-baffle", "sealed",
      "vented", "passive-radiator", "open-baffle",  "horn"};
  const std::string loading = reader.text("loading", "");
  reader.require(loadings.contains(loading),
                 fmt::format("\"loading\" is \"{}\", which is none of the known ones.", loading));
  if (auto read = reader.outcome(); !read) return tl::unexpected(read.error());
  auto description = description_from_json(dumped(*found), file + ": subject");
  if (!description) return tl::unexpected(description.error());
  if (kind == "driver") {
    const std::string role =
        description->drivers.empty() ? std::string() : description->drivers[0].role;
    subject.kind = subject_kind_of(role).value_or(SubjectKind::kFullrange);
  }
  subject.description = std::move(*description);
  return subject;
}

/// Opens the raw file of a take and checks that it can be read as what it is said to be.
Result<void> load_raw(SetTake& item, const std::filesystem::path& path, const std::string& where) {
  auto bytes = file_bytes(path);
  if (!bytes) return tl::unexpected(bytes.error());
  item.raw.bytes = std::move(*bytes);
  item.raw.file_name = path.filename().string();
  if (item.take.kind() == TakeKind::kUnknown) return {};
  if (item.take.form == RawForm::kTextFile) {
    const ColumnKind kind =
        item.take.kind() == TakeKind::kImpedance ? ColumnKind::kImpedance : ColumnKind::kResponse;
    return read_text_table(item.raw.bytes, path.string(), kind).map([](const TextTable&) {});
  }
  const auto audio = read_audio(item.raw.bytes, path.string());
  if (!audio) return tl::unexpected(audio.error());
  item.raw.sample_rate_hz = audio->sample_rate_hz;
  const int channel_count = static_cast<int>(audio->channels.size());
  const Conditions& c = item.take.conditions;
  if (c.channel < 0 || c.channel >= channel_count || c.loopback_channel >= channel_count) {
    return bad_input(
        fmt::format("Channel {} is asked for, but {} has {}.",
                    std::max(c.channel, c.loopback_channel), item.raw.file_name, channel_count),
        where);
  }
  return item.take.form == RawForm::kSweepFile ? check_stimulus(c, *audio, where) : Result<void>{};
}

/// What a take's file holds, by its kind and its ending.
RawForm form_of(const std::string& kind, const std::string& file, bool has_stimulus) {
  const std::string ending = std::filesystem::path(file).extension().string();
  const bool sound = ending == ".wav" || ending == ".flac" || ending == ".WAV" || ending == ".FLAC";
  if (kind == "sweep") return RawForm::kSweepFile;
  if (kind == "impulse-response") return RawForm::kImpulseFile;
  if (kind == "impedance" || kind == "response") return RawForm::kTextFile;
  if (kind == "multitone" || kind == "steady-tones") return RawForm::kSoundFile;
  if (kind == "near-field" || kind == "level-step")
    return !sound ? RawForm::kTextFile : has_stimulus ? RawForm::kSweepFile : RawForm::kImpulseFile;
  return sound ? RawForm::kSoundFile : RawForm::kTextFile;
}

std::vector<double> tones_of(const Json& json, Reader& reader) {
  std::vector<double> all;
  const Json tones = json.value("tones_hz", Json::array());
  for (const Json& tone : tones.is_array() ? tones : Json::array()) {
    const bool fine = tone.is_number() && tone.get<double>() > 0.0;
    reader.require(fine, "\"tones_hz\" should be frequencies above 0.");
    if (fine) all.push_back(tone.get<double>());
  }
  return all;
}

TakeSetup setup_of(const std::string& kind, const Json& json, Reader& reader) {
  if (kind == "impedance") {
    return ImpedanceSetup{reader.text("condition", ""), reader.number("added_mass_g", 0.0),
                          reader.number("test_box_l", 0.0)};
  }
  if (kind == "near-field") {
    NearFieldSetup s{reader.text("source", ""), reader.number("distance_mm", 5.0)};
    reader.require(!s.source.empty(),
                   "A near field needs a \"source\": the driver, port or radiator before the "
                   "microphone.");
    reader.require(s.distance_mm >= 0.0 && s.distance_mm <= 500.0,
                   "\"distance_mm\" of a near field lies within 0 and 500.");
    return s;
  }
  Placement place{reader.number("distance_m", 1.0), reader.number("horizontal_deg", 0.0),
                  reader.number("vertical_deg", 0.0), reader.text("listening_axis", "")};
  reader.require(place.distance_m > 0.0, "\"distance_m\" must be above 0.");
  for (const double angle : {place.horizontal_deg, place.vertical_deg}) {
    reader.require(angle >= -180.0 && angle <= 180.0, "Angles lie within -180 and 180 degrees.");
  }
  reader.require(place.horizontal_deg == 0.0 || place.vertical_deg == 0.0,
                 "A take has one of the two angles other than 0.");
  if (kind == "response" || kind == "impulse-response" || kind == "sweep")
    return FarFieldSetup{std::move(place), reader.text("condition", "")};
  if (kind == "level-step") return LevelStepSetup{std::move(place)};
  if (kind == "multitone") return MultitoneSetup{std::move(place), tones_of(json, reader)};
  if (kind == "steady-tones")
    return SteadyTonesSetup{std::move(place), reader.text("source", ""), tones_of(json, reader)};
  return UnknownSetup{kind, dumped(json)};
}

/// A set speaks of its own folder only: what somebody else packed must not bring files of this
/// machine into a book.
Result<std::filesystem::path> inside(const std::filesystem::path& folder, const std::string& file,
                                     const std::string& where) {
  const std::filesystem::path named(file);
  const bool climbs =
      named.is_absolute() ||
      std::any_of(named.begin(), named.end(), [](const auto& part) { return part == ".."; });
  std::error_code problem;
  const auto real = std::filesystem::weakly_canonical(folder / named, problem);
  const auto root = std::filesystem::weakly_canonical(folder, problem);
  const auto off = std::mismatch(root.begin(), root.end(), real.begin(), real.end());
  if (climbs || problem || off.first != root.end()) {
    return bad_input(
        fmt::format("\"{}\" lies outside the set's folder; such files are not read.", file), where);
  }
  return folder / named;
}

bool known_kind(const std::string& kind) {
  return kind == "impulse-response" || kind == "sweep" || take_kind_of(kind).has_value();
}

/// A kind of a later version: its object and its file go into the book as they are, and out again.
Result<SetTake> unknown_take(SetTake item, const Json& json, const std::filesystem::path& folder,
                             const std::string& where) {
  const auto kind = json.find("kind");
  item.take.setup = UnknownSetup{kind->get<std::string>(), dumped(json)};
  item.take.form = RawForm::kSoundFile;
  const auto file = json.find("file");
  if (file == json.end() || !file->is_string()) {
    const std::string text = dumped(json);
    const auto bytes = std::as_bytes(std::span(text.data(), text.size()));
    item.raw = {{bytes.begin(), bytes.end()}, 0.0, 0, ""};
    return item;
  }
  return inside(folder, file->get<std::string>(), where)
      .and_then([](const std::filesystem::path& path) { return file_bytes(path); })
      .map([&](std::vector<std::byte>&& bytes) {
        item.raw = {std::move(bytes), 0.0, 0,
                    std::filesystem::path(file->get<std::string>()).filename().string()};
        return std::move(item);
      });
}

Result<SetTake> read_take(const Json& json, const std::filesystem::path& folder,
                          const std::string& where) {
  Reader reader(json, where);
  SetTake item;
  item.id = reader.text("id", "");
  reader.require(!item.id.empty(), "A take needs an \"id\".");
  const std::string kind = reader.text("kind", "");
  const std::string file = reader.text("file", "");
  reader.require(!file.empty() || !known_kind(kind), "A take needs a \"file\".");
  item.take.form = form_of(kind, file, json.contains("stimulus"));
  item.take.name = reader.text("name", item.id);
  item.take.note = reader.text("note", "");
  item.variant_id = reader.text("variant", "");
  if (!known_kind(kind)) return unknown_take(std::move(item), json, folder, where);
  Conditions& c = item.take.conditions;
  c.drive_v = reader.number("drive_v", 2.83);
  c.delay_included = reader.flag("delay_included");
  c.driver = reader.text("driver", "");
  c.polarity_flipped = reader.text("polarity_flipped", "");
  c.sample = reader.text("sample", "");
  c.spl_db = reader.number("spl_db", 0.0);
  item.take.plan_item = reader.text("plan_item", "");
  item.take.drawing = reader.text("drawing", "");
  c.channel = static_cast<int>(reader.number("channel", 0.0));
  c.loopback_channel = static_cast<int>(reader.number("loopback_channel", -1.0));
  c.sweep = static_cast<int>(reader.number("sweep", 0.0));
  reader.require(c.sweep >= 0, "\"sweep\" counts from 1.");
  c.t0_s = reader.number("t0_s", 0.0);
  c.pa_per_v = reader.number("pa_per_v", 0.0);
  c.pa_per_unit = reader.number("pa_per_unit", 0.0);
  c.distance_told = json.contains("distance_m") || kind == "near-field";
  c.gate_s = reader.number("gate_ms", 0.0) / 1000.0;
  reader.require(c.drive_v > 0.0, "\"drive_v\" must be above 0.");
  reader.require(c.gate_s >= 0.0, "\"gate_ms\" must not be below 0.");
  item.take.setup = setup_of(kind, json, reader);
  c.chirp_distance_m = reader.number("chirp_distance_m", 0.0);
  reader.require(c.chirp_distance_m >= 0.0, "\"chirp_distance_m\" must not be below 0.");
  if (auto read = read_stimulus(json, where, c.stimulus); !read)
    return tl::unexpected(read.error());
  for (const auto& [key, value] : json.items()) {
    if (!kKnownTakeKeys.contains(key)) c.more_json[key] = dumped(value);
  }
  if (const std::string name = reader.text("microphone_correction", ""); !name.empty()) {
    const auto correction =
        inside(folder, name, where).and_then([](const std::filesystem::path& path) {
          return file_bytes(path).and_then([&](const auto& bytes) {
            return read_text_table(bytes, path.string(), ColumnKind::kCalibration);
          });
        });
    if (!correction) return tl::unexpected(correction.error());
    item.microphone_correction = curve_of(*correction, ColumnKind::kCalibration);
  }
  if (auto read = reader.outcome(); !read) return tl::unexpected(read.error());
  return inside(folder, file, where)
      .and_then([&](const std::filesystem::path& path) { return load_raw(item, path, where); })
      .map([&] { return item; });
}

Result<Json> parsed_set(const std::filesystem::path& file) {
  const auto bytes = file_bytes(file);
  if (!bytes) return tl::unexpected(bytes.error());
  const auto text = decoded_text(*bytes, file.string());
  if (!text) return tl::unexpected(text.error());
  try {
    Json root = Json::parse(*text);
    if (!root.is_object()) return bad_input("The set is not a JSON object.", file.string());
    return root;
  } catch (const Json::parse_error& problem) {
    const auto upto = std::min(problem.byte, text->size());
    const auto line =
        1 + std::count(text->begin(), text->begin() + static_cast<std::ptrdiff_t>(upto), '\n');
    return bad_input("This is not valid JSON.", fmt::format("{}:{}", file.string(), line));
  } catch (const Json::exception&) {
    return bad_input("This is not valid JSON: a number in it is too large to be held.",
                     file.string());
  }
}

}  // namespace

namespace {

/// Floor and ceiling count from the axis. A distance that is none is not told.
std::optional<Stand> stand_of(const Json& bench) {
  if (!bench.is_object()) return std::nullopt;
  const auto told = [&](const char* key) -> std::optional<double> {
    const auto found = bench.find(key);
    if (found == bench.end() || !found->is_number() || !(found->get<double>() > 0.0))
      return std::nullopt;
    return found->get<double>();
  };
  const auto floor = told("floor_m");
  const auto ceiling = told("ceiling_m");
  const auto wall = told("nearest_wall_m");
  if (!floor && !ceiling && !wall) return std::nullopt;
  Stand stand;
  stand.distance_m = told("distance_m").value_or(1.0);
  // Without a floor it is as far as it needs to be never to matter.
  stand.speaker_height_m = floor.value_or(1e3);
  stand.microphone_height_m = floor ? told("mic_height_m").value_or(*floor) : 1e3;
  if (ceiling) stand.ceiling_m = stand.speaker_height_m + *ceiling;
  stand.nearest_m = wall;
  return stand;
}

}  // namespace

Result<MeasurementSet> read_set(const std::filesystem::path& path) {
  std::error_code ignored;
  const std::filesystem::path file =
      std::filesystem::is_directory(path, ignored) ? path / "set.json" : path;
  const std::filesystem::path folder = file.parent_path();
  const auto root = parsed_set(file);
  if (!root) return tl::unexpected(root.error());
  if (!root->contains("format") || (*root)["format"] != "lalometer-set") {
    return bad_input("\"format\" should be \"lalometer-set\".", file.string());
  }
  if (!root->contains("version") || (*root)["version"] != 1) {
    return fail(ErrorCode::kNewerVersion, "This program reads sets of \"version\" 1.",
                file.string());
  }
  MeasurementSet set;
  auto subject = read_subject(*root, file.string());
  if (!subject) return tl::unexpected(subject.error());
  set.subject = std::move(*subject);
  set.bench_json = root->value("bench", Json::object()).dump();
  set.stand = stand_of(root->value("bench", Json::object()));
  std::set<std::string> variant_ids;
  for (const Json& json : root->value("variants", Json::array())) {
    Reader reader(json, file.string() + ": variants");
    if (!json.is_object())
      return bad_input("A variant should be an object.", file.string() + ": variants");
    const std::string id = reader.text("id", "");
    reader.require(!id.empty(), "A variant needs an \"id\".");
    reader.require(variant_ids.insert(id).second,
                   fmt::format("Two variants are called \"{}\".", id));
    Variant variant;
    variant.name = reader.text("name", id);
    variant.changed = reader.text("changed", "");
    variant.change = reader.text("change", guessed_change(variant.name + " " + variant.changed));
    reader.require(
        variant.change.empty() || is_variant_change(variant.change),
        fmt::format("\"change\" is \"{}\", which is none of the known ones.", variant.change));
    set.variants.emplace_back(id, std::move(variant));
    if (auto read = reader.outcome(); !read) return tl::unexpected(read.error());
  }
  const auto takes = root->find("takes");
  if (takes == root->end() || !takes->is_array())
    return bad_input("The set has no \"takes\".", file.string());
  std::set<std::string> take_ids;
  for (std::size_t i = 0; i < takes->size(); ++i) {
    const Json& json = (*takes)[i];
    std::string where = fmt::format("{}: takes[{}]", file.string(), i);
    if (!json.is_object()) return bad_input("A take should be an object.", where);
    const auto id = json.find("id");
    if (id != json.end() && id->is_string())
      where += fmt::format(" \"{}\"", id->get<std::string>());
    const auto kind = json.find("kind");
    if (kind == json.end() || !kind->is_string())
      return bad_input("A take needs a \"kind\".", where);
    auto item = read_take(json, folder, where);
    if (!item) return tl::unexpected(item.error());
    if (item->take.kind() == TakeKind::kUnknown) {
      set.notes.push_back(
          fmt::format("{}: a take of the kind \"{}\" is kept whole, but not read by this version.",
                      where, kind->get<std::string>()));
    }
    if (!take_ids.insert(item->id).second)
      return bad_input(fmt::format("Two takes are called \"{}\".", item->id), where);
    if (!item->variant_id.empty() && !variant_ids.contains(item->variant_id)) {
      return bad_input(fmt::format("There is no variant \"{}\".", item->variant_id), where);
    }
    if (item->take.conditions.gate_s > 0.0) set.gate_s = item->take.conditions.gate_s;
    set.takes.push_back(std::move(*item));
  }
  return set;
}

}  // namespace lalometer
