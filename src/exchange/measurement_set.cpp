#include "exchange/measurement_set.h"

#include <fmt/format.h>

#include <nlohmann/json.hpp>
#include <set>

#include "base/json_text.h"
#include "base/text.h"
#include "exchange/audio_file.h"
#include "exchange/curve_file.h"
#include "exchange/text_table.h"

namespace lalometer {
namespace {

using Json = nlohmann::ordered_json;

/// Reads one object's members with the place in every complaint.
class Reader {
 public:
  Reader(const Json& json, std::string where) : json_(json), where_(std::move(where)) {}

  [[nodiscard]] double number(const char* key, double fallback) {
    const auto found = json_.find(key);
    if (found == json_.end() || found->is_null()) return fallback;
    if (!found->is_number()) return complain(key, "a number", *found), fallback;
    return found->get<double>();
  }
  [[nodiscard]] std::string text(const char* key, std::string fallback) {
    const auto found = json_.find(key);
    if (found == json_.end() || found->is_null()) return fallback;
    if (!found->is_string()) return complain(key, "a text", *found), fallback;
    return found->get<std::string>();
  }
  [[nodiscard]] bool flag(const char* key) {
    const auto found = json_.find(key);
    if (found == json_.end() || found->is_null()) return false;
    if (!found->is_boolean()) return complain(key, "true or false", *found), false;
    return found->get<bool>();
  }
  void require(bool holds, const std::string& complaint) {
    if (!holds && problem_.empty()) problem_ = complaint;
  }
  [[nodiscard]] Result<void> outcome() const {
    if (problem_.empty()) return {};
    return bad_input(problem_, where_);
  }

 private:
  void complain(const char* key, const char* wanted, const Json& found) {
    require(false, fmt::format("\"{}\" should be {}, found {}.", key, wanted,
                               dumped(found).substr(0, 60)));
  }
  const Json& json_;
  std::string where_;
  std::string problem_;
};

const std::set<std::string> kKnownTakeKeys = {"id",
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
                                              "microphone_correction"};

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
  if (kind == "driver") {
    subject.kind = DriverKind::kFullrange;
    const Json drivers = found->value("drivers", Json::array());
    if (drivers.is_array() && !drivers.empty() && drivers[0].is_object()) {
      const std::string role = drivers[0].value("role", std::string());
      subject.kind = driver_kind_of(role).value_or(DriverKind::kFullrange);
    }
  }
  static const std::set<std::string> loadings = {
      "",       "free-air",         "large-baffle", "sealed",
      "vented", "passive-radiator", "open-baffle",  "horn"};
  const std::string loading = reader.text("loading", "");
  reader.require(loadings.contains(loading),
                 fmt::format("\"loading\" is \"{}\", which is none of the known ones.", loading));
  subject.description_json = found->dump();
  return reader.outcome().map([&] { return subject; });
}

Result<void> check_stimulus(const Conditions& c, const AudioData& audio, const std::string& where) {
  const Stimulus& s = c.stimulus;
  if (!(s.start_hz > 0.0 && s.stop_hz > s.start_hz && s.duration_s > 0.0 && s.lead_in_s >= 0.0 &&
        s.amplitude > 0.0)) {
    return bad_input(
        "A sweep's stimulus needs start_hz > 0, stop_hz above it, duration_s > 0, lead_in_s >= 0 "
        "and amplitude > 0.",
        where);
  }
  if (s.stop_hz > 0.5 * audio.sample_rate_hz) {
    return bad_input(
        fmt::format("The sweep runs to {} Hz, above half of the file's sample rate of {} Hz.",
                    shortest(s.stop_hz), shortest(audio.sample_rate_hz)),
        where);
  }
  const double length_s = static_cast<double>(audio.channels[0].size()) / audio.sample_rate_hz;
  if (length_s < s.lead_in_s + s.duration_s) {
    return bad_input(fmt::format("The file lasts {} s, but lead-in and sweep take {} s.",
                                 three_digits(length_s), three_digits(s.lead_in_s + s.duration_s)),
                     where);
  }
  return {};
}

/// Opens the raw file of a take and checks that it can be read as what it is said to be.
Result<void> load_raw(SetTake& item, const std::filesystem::path& path, const std::string& where) {
  auto bytes = file_bytes(path);
  if (!bytes) return tl::unexpected(bytes.error());
  item.raw.bytes = std::move(*bytes);
  item.raw.file_name = path.filename().string();
  if (item.take.form == RawForm::kTextFile) {
    const ColumnKind kind =
        item.take.kind == TakeKind::kImpedance ? ColumnKind::kImpedance : ColumnKind::kResponse;
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

Result<SetTake> read_take(const Json& json, const std::filesystem::path& folder,
                          const std::string& where) {
  Reader reader(json, where);
  SetTake item;
  item.id = reader.text("id", "");
  reader.require(!item.id.empty(), "A take needs an \"id\".");
  const std::string kind = reader.text("kind", "");
  const std::string file = reader.text("file", "");
  reader.require(!file.empty(), "A take needs a \"file\".");
  item.take.kind = kind == "impedance" ? TakeKind::kImpedance : TakeKind::kResponse;
  item.take.form = kind == "sweep"              ? RawForm::kSweepFile
                   : kind == "impulse-response" ? RawForm::kImpulseFile
                                                : RawForm::kTextFile;
  item.take.name = reader.text("name", item.id);
  item.take.note = reader.text("note", "");
  item.variant_id = reader.text("variant", "");
  Conditions& c = item.take.conditions;
  c.distance_m = reader.number("distance_m", 1.0);
  c.drive_v = reader.number("drive_v", 2.83);
  c.horizontal_deg = reader.number("horizontal_deg", 0.0);
  c.vertical_deg = reader.number("vertical_deg", 0.0);
  c.delay_included = reader.flag("delay_included");
  c.condition = reader.text("condition", "");
  c.driver = reader.text("driver", "");
  c.sample = reader.text("sample", "");
  c.channel = static_cast<int>(reader.number("channel", 0.0));
  c.loopback_channel = static_cast<int>(reader.number("loopback_channel", -1.0));
  c.t0_s = reader.number("t0_s", 0.0);
  c.pa_per_v = reader.number("pa_per_v", 0.0);
  c.gate_s = reader.number("gate_ms", 0.0) / 1000.0;
  reader.require(c.distance_m > 0.0, "\"distance_m\" must be above 0.");
  reader.require(c.drive_v > 0.0, "\"drive_v\" must be above 0.");
  reader.require(c.gate_s >= 0.0, "\"gate_ms\" must not be below 0.");
  for (const double angle : {c.horizontal_deg, c.vertical_deg}) {
    reader.require(angle >= -180.0 && angle <= 180.0, "Angles lie within -180 and 180 degrees.");
  }
  reader.require(c.horizontal_deg == 0.0 || c.vertical_deg == 0.0,
                 "A take has one of the two angles other than 0.");
  if (const auto stimulus = json.find("stimulus");
      stimulus != json.end() && stimulus->is_object()) {
    Reader s(*stimulus, where + ": stimulus");
    c.stimulus = {s.number("start_hz", 0.0), s.number("stop_hz", 0.0), s.number("duration_s", 0.0),
                  s.number("lead_in_s", 0.0), s.number("amplitude", 1.0)};
    if (auto read = s.outcome(); !read) return tl::unexpected(read.error());
  }
  for (const auto& [key, value] : json.items()) {
    if (!kKnownTakeKeys.contains(key)) c.more_json[key] = dumped(value);
  }
  if (const std::string name = reader.text("microphone_correction", ""); !name.empty()) {
    const auto correction = file_bytes(folder / name).and_then([&](const auto& bytes) {
      return read_text_table(bytes, (folder / name).string(), ColumnKind::kCalibration);
    });
    if (!correction) return tl::unexpected(correction.error());
    item.microphone_correction = curve_of(*correction, ColumnKind::kCalibration);
  }
  if (auto read = reader.outcome(); !read) return tl::unexpected(read.error());
  return load_raw(item, folder / file, where).map([&] { return item; });
}

bool readable_kind(const std::string& kind) {
  return kind == "impedance" || kind == "response" || kind == "impulse-response" || kind == "sweep";
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
  }
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
  std::set<std::string> variant_ids;
  for (const Json& json : root->value("variants", Json::array())) {
    Reader reader(json, file.string() + ": variants");
    const std::string id = json.is_object() ? reader.text("id", "") : "";
    reader.require(!id.empty(), "A variant needs an \"id\".");
    reader.require(variant_ids.insert(id).second,
                   fmt::format("Two variants are called \"{}\".", id));
    set.variants.push_back({id, Variant{0, 0, json.is_object() ? reader.text("name", id) : id,
                                        json.is_object() ? reader.text("changed", "") : ""}});
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
    if (!readable_kind(kind->get<std::string>())) {
      set.notes.push_back(fmt::format("{}: takes of kind \"{}\" are not read by this version.",
                                      where, kind->get<std::string>()));
      continue;
    }
    auto item = read_take(json, folder, where);
    if (!item) return tl::unexpected(item.error());
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

Result<void> write_set(const MeasurementSet& set, const std::filesystem::path& folder) {
  std::error_code problem;
  std::filesystem::create_directories(folder, problem);
  if (problem) return fail(ErrorCode::kStorage, "The folder could not be made.", folder.string());
  if (std::filesystem::exists(folder / "set.json", problem)) {
    return bad_input("There is a set.json already; it was left as it is.", folder.string());
  }
  Json root{{"format", "lalometer-set"}, {"version", 1}};
  root["subject"] = parsed_ordered_json(set.subject.description_json);
  if (!root["subject"].is_object()) root["subject"] = Json::object();
  root["subject"]["name"] = set.subject.name;
  if (!root["subject"].contains("kind")) {
    root["subject"]["kind"] =
        set.subject.kind == DriverKind::kLoudspeaker ? "loudspeaker" : "driver";
  }
  root["bench"] = parsed_ordered_json(set.bench_json);
  root["variants"] = Json::array();
  for (const auto& [id, variant] : set.variants) {
    root["variants"].push_back({{"id", id}, {"name", variant.name}, {"changed", variant.changed}});
  }
  root["takes"] = Json::array();
  for (const SetTake& item : set.takes) {
    const Conditions& c = item.take.conditions;
    const bool impedance = item.take.kind == TakeKind::kImpedance;
    Json json{{"id", item.id},
              {"kind", item.take.form == RawForm::kTextFile ? std::string(word_of(item.take.kind))
                                                            : std::string(word_of(item.take.form))},
              {"file", item.raw.file_name},
              {"name", item.take.name}};
    if (!item.variant_id.empty()) json["variant"] = item.variant_id;
    if (!impedance) {
      json["horizontal_deg"] = c.horizontal_deg;
      json["vertical_deg"] = c.vertical_deg;
      json["distance_m"] = c.distance_m;
      json["drive_v"] = c.drive_v;
    }
    if (c.gate_s > 0.0) json["gate_ms"] = c.gate_s * 1000.0;
    if (c.delay_included) json["delay_included"] = true;
    if (!c.condition.empty()) json["condition"] = c.condition;
    if (!c.driver.empty()) json["driver"] = c.driver;
    if (!c.sample.empty()) json["sample"] = c.sample;
    if (!item.take.note.empty()) json["note"] = item.take.note;
    if (item.take.form != RawForm::kTextFile) {
      json["channel"] = c.channel;
      if (c.pa_per_v > 0.0) json["pa_per_v"] = c.pa_per_v;
      if (c.loopback_channel >= 0) json["loopback_channel"] = c.loopback_channel;
    }
    if (item.take.form == RawForm::kImpulseFile) json["t0_s"] = c.t0_s;
    if (item.take.form == RawForm::kSweepFile) {
      json["stimulus"] = {
          {"type", "exponential-sweep"},       {"start_hz", c.stimulus.start_hz},
          {"stop_hz", c.stimulus.stop_hz},     {"duration_s", c.stimulus.duration_s},
          {"lead_in_s", c.stimulus.lead_in_s}, {"amplitude", c.stimulus.amplitude}};
    }
    if (item.microphone_correction) {
      const std::string name = item.id + "-microphone.cal";
      json["microphone_correction"] = name;
      const std::string text =
          curve_text(*item.microphone_correction,
                     {"deviation of the microphone from flat, dB, to be subtracted"});
      if (auto written = write_file(folder / name, text); !written) return written;
    }
    for (const auto& [key, value] : c.more_json) json[key] = parsed_ordered_json(value);
    root["takes"].push_back(std::move(json));
    if (auto written = write_file(folder / item.raw.file_name, item.raw.bytes); !written)
      return written;
  }
  return write_file(folder / "set.json", dumped(root, 2) + "\n");
}

}  // namespace lalometer
