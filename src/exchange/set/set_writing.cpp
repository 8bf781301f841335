#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "base/json_text.h"
#include "book/description/description_text.h"
#include "exchange/audio_file.h"
#include "exchange/curve_file.h"
#include "exchange/set/measurement_set.h"
#include "exchange/set/set_stimulus.h"

namespace lalometer {
namespace {

using Json = nlohmann::ordered_json;

std::string kind_in_set(const Take& take) {
  // The far field has three words, by what its file holds.
  if (take.kind() == TakeKind::kResponse && take.form != RawForm::kTextFile)
    return std::string(word_of(take.form));
  return kind_word(take.setup);
}

void add_place(Json& json, const Placement& place) {
  json["horizontal_deg"] = place.horizontal_deg;
  json["vertical_deg"] = place.vertical_deg;
  json["distance_m"] = place.distance_m;
  if (!place.listening_axis.empty()) json["listening_axis"] = place.listening_axis;
}

void add_setup(Json& json, const TakeSetup& setup) {
  if (const auto* near = std::get_if<NearFieldSetup>(&setup)) {
    json["source"] = near->source;
    json["distance_mm"] = near->distance_mm;
  } else if (const auto* z = std::get_if<ImpedanceSetup>(&setup)) {
    if (!z->condition.empty()) json["condition"] = z->condition;
    if (z->added_mass_g > 0.0) json["added_mass_g"] = z->added_mass_g;
    if (z->test_box_l > 0.0) json["test_box_l"] = z->test_box_l;
  } else {
    add_place(json, place_of(setup));
    if (const auto* far = std::get_if<FarFieldSetup>(&setup); far && !far->condition.empty())
      json["condition"] = far->condition;
    if (const auto* tones = std::get_if<MultitoneSetup>(&setup)) json["tones_hz"] = tones->tones_hz;
    if (const auto* tones = std::get_if<SteadyTonesSetup>(&setup)) {
      json["tones_hz"] = tones->tones_hz;
      if (!tones->source.empty()) json["source"] = tones->source;
    }
  }
}

void add_text(Json& json, const char* key, const std::string& text) {
  if (!text.empty()) json[key] = text;
}

/// A take as its set writes it; an unknown kind's own object with the names it has here.
Json take_json(const SetTake& item) {
  const Conditions& c = item.take.conditions;
  if (const auto* unknown = std::get_if<UnknownSetup>(&item.take.setup)) {
    Json json = parsed_ordered_json(unknown->json);
    if (!json.is_object()) json = Json::object();
    json["id"] = item.id;
    json["kind"] = unknown->kind;
    if (!item.raw.file_name.empty()) json["file"] = item.raw.file_name;
    add_text(json, "variant", item.variant_id);
    return json;
  }
  Json json{{"id", item.id},
            {"kind", kind_in_set(item.take)},
            {"file", item.raw.file_name},
            {"name", item.take.name}};
  add_text(json, "variant", item.variant_id);
  add_setup(json, item.take.setup);
  if (!c.distance_told) json.erase("distance_m");
  if (item.take.kind() != TakeKind::kImpedance) json["drive_v"] = c.drive_v;
  if (c.gate_s > 0.0) json["gate_ms"] = c.gate_s * 1000.0;
  if (c.delay_included) json["delay_included"] = true;
  add_text(json, "driver", c.driver);
  add_text(json, "polarity_flipped", c.polarity_flipped);
  add_text(json, "sample", c.sample);
  if (c.spl_db != 0.0) json["spl_db"] = c.spl_db;
  add_text(json, "note", item.take.note);
  add_text(json, "plan_item", item.take.plan_item);
  add_text(json, "drawing", item.take.drawing);
  if (item.take.form != RawForm::kTextFile) {
    json["channel"] = c.channel;
    if (c.pa_per_v > 0.0) json["pa_per_v"] = c.pa_per_v;
    if (c.pa_per_unit > 0.0) json["pa_per_unit"] = c.pa_per_unit;
    if (c.loopback_channel >= 0) json["loopback_channel"] = c.loopback_channel;
  }
  if (item.take.form == RawForm::kImpulseFile) json["t0_s"] = c.t0_s;
  if (item.take.form == RawForm::kSweepFile) {
    json["stimulus"] = stimulus_json(c.stimulus);
    if (c.chirp_distance_m > 0.0) json["chirp_distance_m"] = c.chirp_distance_m;
    if (c.sweep > 0) json["sweep"] = c.sweep;
  }
  for (const auto& [key, value] : c.more_json) json[key] = parsed_ordered_json(value);
  return json;
}

}  // namespace

Result<void> write_set(const MeasurementSet& set, const std::filesystem::path& folder) {
  std::error_code problem;
  std::filesystem::create_directories(folder, problem);
  if (problem) return fail(ErrorCode::kStorage, "The folder could not be made.", folder.string());
  if (std::filesystem::exists(folder / "set.json", problem)) {
    return bad_input("There is a set.json already; it was left as it is.", folder.string());
  }
  Json root{{"format", "lalometer-set"}, {"version", 1}};
  root["subject"] = {
      {"name", set.subject.name},
      {"kind", set.subject.kind == SubjectKind::kLoudspeaker ? "loudspeaker" : "driver"}};
  root["subject"].update(parsed_ordered_json(to_json(set.subject.description)));
  root["bench"] = parsed_ordered_json(set.bench_json);
  root["variants"] = Json::array();
  for (const auto& [id, variant] : set.variants) {
    Json json{{"id", id}, {"name", variant.name}, {"changed", variant.changed}};
    add_text(json, "change", variant.change);
    root["variants"].push_back(std::move(json));
  }
  root["takes"] = Json::array();
  for (const SetTake& item : set.takes) {
    Json json = take_json(item);
    if (item.microphone_correction) {
      const std::string name = item.id + "-microphone.cal";
      json["microphone_correction"] = name;
      const std::string text =
          curve_text(*item.microphone_correction,
                     {"deviation of the microphone from flat, dB, to be subtracted"});
      if (auto written = write_file(folder / name, text); !written) return written;
    }
    root["takes"].push_back(std::move(json));
    if (item.raw.file_name.empty()) continue;
    if (auto written = write_file(folder / item.raw.file_name, item.raw.bytes); !written)
      return written;
  }
  return write_file(folder / "set.json", dumped(root, 2) + "\n");
}

}  // namespace lalometer
