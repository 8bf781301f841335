#include "workbench/keeping/plan_keeping.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "base/json_text.h"
#include "base/text.h"
#include "exchange/json_read.h"

namespace lalometer {
namespace {

using Json = nlohmann::json;

constexpr const char* kTemplates = "plan-templates";

Json json_of(const TakeRequest& r) {
  return {{"kind", word_of(r.kind)},
          {"driver", word_of(r.driver)},
          {"name", r.name},
          {"sample_rate_hz", r.sample_rate_hz},
          {"start_hz", r.start_hz},
          {"stop_hz", r.stop_hz},
          {"duration_s", r.duration_s},
          {"drive_v", r.drive_v},
          {"distance_m", r.distance_m},
          {"horizontal_deg", r.horizontal_deg},
          {"vertical_deg", r.vertical_deg},
          {"temperature_c", r.temperature_c},
          {"repeats", r.repeats},
          {"sample", r.sample},
          {"condition", r.condition},
          {"source", r.source},
          {"flipped", r.flipped},
          {"gate_s", r.gate_s},
          {"added_mass_g", r.added_mass_g},
          {"test_box_l", r.test_box_l},
          {"tones_per_octave", r.tones_per_octave},
          {"target_spl_db", r.target_spl_db},
          {"variant", r.variant_id}};
}

TakeRequest request_of(const Json& j, Id subject) {
  TakeRequest r;
  r.kind = take_kind_of(j.value("kind", "")).value_or(TakeKind::kResponse);
  r.driver = subject_kind_of(j.value("driver", "")).value_or(SubjectKind::kLoudspeaker);
  r.name = j.value("name", "");
  r.sample_rate_hz = j.value("sample_rate_hz", r.sample_rate_hz);
  r.start_hz = j.value("start_hz", r.start_hz);
  r.stop_hz = j.value("stop_hz", r.stop_hz);
  r.duration_s = j.value("duration_s", r.duration_s);
  r.drive_v = j.value("drive_v", r.drive_v);
  r.distance_m = j.value("distance_m", r.distance_m);
  r.horizontal_deg = j.value("horizontal_deg", 0.0);
  r.vertical_deg = j.value("vertical_deg", 0.0);
  r.temperature_c = j.value("temperature_c", r.temperature_c);
  r.repeats = j.value("repeats", 1);
  r.sample = j.value("sample", "");
  r.condition = j.value("condition", "");
  r.source = j.value("source", "");
  r.flipped = j.value("flipped", "");
  r.gate_s = j.value("gate_s", 0.0);
  r.added_mass_g = j.value("added_mass_g", 0.0);
  r.test_box_l = j.value("test_box_l", 0.0);
  r.tones_per_octave = j.value("tones_per_octave", r.tones_per_octave);
  r.target_spl_db = j.value("target_spl_db", 0.0);
  r.variant_id = j.value("variant", Id{0});
  r.subject_id = subject;
  // As plans of the first books said it.
  if (r.kind == TakeKind::kResponse && r.condition == "near-field") {
    r.kind = TakeKind::kNearField;
    r.condition.clear();
  }
  return r;
}

}  // namespace

std::string to_json(const MeasuringPlan& plan) {
  Json takes = Json::array();
  for (const PlannedTake& t : plan.takes) {
    takes.push_back({{"id", t.id},
                     {"instruction", t.instruction},
                     {"skipped", t.skipped},
                     {"request", json_of(t.request)}});
  }
  return dumped(Json{{"purpose", text_of(plan.purpose).word},
                     {"subject", plan.subject_id},
                     {"stamp", plan.stamp},
                     {"takes", takes}});
}

Result<MeasuringPlan> plan_from_json(const std::string& text) {
  const Json j = parsed_json(text);
  if (!j.is_object() || !j.contains("takes") || !j["takes"].is_array())
    return bad_input("This is not a measuring plan.");
  try {
    MeasuringPlan plan;
    const std::string word = j.value("purpose", "");
    const auto known = std::find_if(purposes().begin(), purposes().end(),
                                    [&](const PurposeText& t) { return word == t.word; });
    if (known == purposes().end())
      return bad_input(fmt::format("The plan's purpose “{}” is not known.", word));
    plan.purpose = known->purpose;
    plan.subject_id = j.value("subject", Id{0});
    plan.stamp = j.value("stamp", "");
    for (const Json& t : j["takes"]) {
      plan.takes.push_back({t.value("id", ""),
                            request_of(t.value("request", Json::object()), plan.subject_id),
                            t.value("instruction", ""), t.value("skipped", false)});
    }
    return plan;
  } catch (const Json::exception&) {
    return bad_input("The measuring plan is damaged: a value has the wrong kind.");
  }
}

Result<void> keep_plan(Book& book, const MeasuringPlan& plan) {
  return book.set_document(plan.subject_id, "plan", to_json(plan), "Change the plan");
}

std::optional<MeasuringPlan> kept_plan(const Book& book, Id subject) {
  const std::string text = book.document(subject, "plan");
  if (text.empty()) return std::nullopt;
  auto plan = plan_from_json(text);
  return plan ? std::optional(std::move(*plan)) : std::nullopt;
}

Result<void> keep_template(Book& book, const std::string& name, const MeasuringPlan& plan) {
  if (name.empty()) return bad_input("A template needs a name.");
  const std::string kept = book.document(0, kTemplates);
  Json all = kept.empty() ? Json::object() : parsed_json(kept);
  if (!all.is_object()) all = Json::object();
  all[name] = parsed_json(to_json(plan));
  return book.set_document(0, kTemplates, dumped(all), "Keep a template");
}

std::vector<std::string> template_names(const Book& book) {
  std::vector<std::string> names;
  const std::string kept = book.document(0, kTemplates);
  if (kept.empty()) return names;
  const Json all = parsed_json(kept);
  if (all.is_object())
    for (const auto& [name, plan] : all.items()) names.push_back(name);
  return names;
}

Result<MeasuringPlan> plan_from_template(const Book& book, const std::string& name, Id subject,
                                         Id variant) {
  const std::string kept = book.document(0, kTemplates);
  const Json all = kept.empty() ? Json::object() : parsed_json(kept);
  if (!all.is_object() || !all.contains(name))
    return fail(ErrorCode::kNotFound, fmt::format("There is no template “{}”.", name));
  return plan_from_json(dumped(all[name])).map([&](MeasuringPlan plan) {
    plan.subject_id = subject;
    plan.stamp = utc_now();
    for (PlannedTake& t : plan.takes) {
      t.request.subject_id = subject;
      t.request.variant_id = variant;
    }
    return plan;
  });
}

std::string to_json(const Stand& s) {
  Json json{{"distance_m", s.distance_m},
            {"speaker_height_m", s.speaker_height_m},
            {"microphone_height_m", s.microphone_height_m},
            {"ground_plane", s.ground_plane}};
  const auto add = [&](const char* key, const std::optional<double>& value) {
    if (value) json[key] = *value;
  };
  add("ceiling_m", s.ceiling_m);
  add("left_m", s.left_m);
  add("right_m", s.right_m);
  add("nearest_m", s.nearest_m);
  add("behind_speaker_m", s.behind_speaker_m);
  add("behind_microphone_m", s.behind_microphone_m);
  return dumped(json);
}

Stand stand_from_json(const std::string& text) {
  const Json json = parsed_json(text);
  Stand s;
  if (!json.is_object()) return s;
  s.distance_m = json_number(json, "distance_m", s.distance_m);
  s.speaker_height_m = json_number(json, "speaker_height_m", s.speaker_height_m);
  s.microphone_height_m = json_number(json, "microphone_height_m", s.microphone_height_m);
  s.ground_plane = json.value("ground_plane", false);
  const auto read = [&](const char* key, std::optional<double>& value) {
    const auto found = json.find(key);
    value = found != json.end() && found->is_number() ? std::optional(found->get<double>())
                                                      : std::nullopt;
  };
  read("ceiling_m", s.ceiling_m);
  read("left_m", s.left_m);
  read("right_m", s.right_m);
  read("nearest_m", s.nearest_m);
  read("behind_speaker_m", s.behind_speaker_m);
  read("behind_microphone_m", s.behind_microphone_m);
  return s;
}

}  // namespace lalometer
