#include "book/take_setup.h"

#include <array>
#include <nlohmann/json.hpp>

#include "base/json_text.h"

namespace lalometer {
namespace {

using Json = nlohmann::json;

constexpr std::array<std::string_view, 7> kWords = {
    "response", "near-field", "impedance", "level-step", "multitone", "steady-tones", "unknown"};

template <class... Each>
struct Overloaded : Each... {
  using Each::operator()...;
};
template <class... Each>
Overloaded(Each...) -> Overloaded<Each...>;

Json json_of(const Placement& p) {
  Json json{{"distance_m", p.distance_m},
            {"horizontal_deg", p.horizontal_deg},
            {"vertical_deg", p.vertical_deg}};
  if (!p.listening_axis.empty()) json["listening_axis"] = p.listening_axis;
  return json;
}

double number(const Json& json, const char* key, double fallback) {
  const auto found = json.find(key);
  return found != json.end() && found->is_number() ? found->get<double>() : fallback;
}

std::string text(const Json& json, const char* key) {
  const auto found = json.find(key);
  return found != json.end() && found->is_string() ? found->get<std::string>() : std::string();
}

std::vector<double> numbers(const Json& json, const char* key) {
  std::vector<double> all;
  if (const auto found = json.find(key); found != json.end() && found->is_array()) {
    for (const Json& each : *found)
      if (each.is_number()) all.push_back(each.get<double>());
  }
  return all;
}

Placement placement(const Json& json) {
  return {number(json, "distance_m", 1.0), number(json, "horizontal_deg", 0.0),
          number(json, "vertical_deg", 0.0), text(json, "listening_axis")};
}

}  // namespace

TakeKind kind_of(const TakeSetup& setup) {
  return static_cast<TakeKind>(setup.index());
}

std::string_view word_of(TakeKind kind) {
  return kWords[static_cast<std::size_t>(kind)];
}

std::optional<TakeKind> take_kind_of(std::string_view word) {
  // "unknown" is no kind that anybody may name.
  for (std::size_t i = 0; i + 1 < kWords.size(); ++i) {
    if (kWords[i] == word) return static_cast<TakeKind>(i);
  }
  return std::nullopt;
}

std::string kind_word(const TakeSetup& setup) {
  const auto* unknown = std::get_if<UnknownSetup>(&setup);
  return unknown != nullptr ? unknown->kind : std::string(word_of(kind_of(setup)));
}

Placement place_of(const TakeSetup& setup) {
  return std::visit(Overloaded{[](const NearFieldSetup& s) {
                                 return Placement{s.distance_mm / 1e3, 0, 0, {}};
                               },
                               [](const ImpedanceSetup&) { return Placement{}; },
                               [](const UnknownSetup&) { return Placement{}; },
                               [](const auto& s) { return s.place; }},
                    setup);
}

std::string condition_of(const TakeSetup& setup) {
  return std::visit(Overloaded{[](const FarFieldSetup& s) { return s.condition; },
                               [](const ImpedanceSetup& s) { return s.condition; },
                               [](const NearFieldSetup&) { return std::string("near-field"); },
                               [](const auto&) { return std::string(); }},
                    setup);
}

bool is_pressure(TakeKind kind) {
  return kind == TakeKind::kResponse || kind == TakeKind::kNearField ||
         kind == TakeKind::kLevelStep;
}

TakeRole role_of(TakeKind kind) {
  return kind == TakeKind::kNearField ? TakeRole::kNearField : TakeRole::kFarField;
}

std::string_view word_of(TakeRole role) {
  return role == TakeRole::kNearField ? "near-field" : "far-field";
}

std::string to_json(const TakeSetup& setup) {
  return std::visit(
      Overloaded{[](const FarFieldSetup& s) {
                   Json json = json_of(s.place);
                   if (!s.condition.empty()) json["condition"] = s.condition;
                   return dumped(json);
                 },
                 [](const NearFieldSetup& s) {
                   return dumped(Json{{"source", s.source}, {"distance_mm", s.distance_mm}});
                 },
                 [](const ImpedanceSetup& s) {
                   Json json{{"condition", s.condition}};
                   if (s.added_mass_g > 0.0) json["added_mass_g"] = s.added_mass_g;
                   if (s.test_box_l > 0.0) json["test_box_l"] = s.test_box_l;
                   return dumped(json);
                 },
                 [](const LevelStepSetup& s) { return dumped(json_of(s.place)); },
                 [](const MultitoneSetup& s) {
                   Json json = json_of(s.place);
                   json["tones_hz"] = s.tones_hz;
                   return dumped(json);
                 },
                 [](const SteadyTonesSetup& s) {
                   Json json = json_of(s.place);
                   json["tones_hz"] = s.tones_hz;
                   if (!s.source.empty()) json["source"] = s.source;
                   return dumped(json);
                 },
                 [](const UnknownSetup& s) { return s.json; }},
      setup);
}

TakeSetup setup_from_json(const std::string& kind, const std::string& json_text) {
  const auto known = take_kind_of(kind);
  if (!known) return UnknownSetup{kind, json_text};
  Json json = parsed_json(json_text);
  if (!json.is_object()) json = Json::object();
  switch (*known) {
    case TakeKind::kNearField:
      return NearFieldSetup{text(json, "source"), number(json, "distance_mm", 5.0)};
    case TakeKind::kImpedance:
      return ImpedanceSetup{text(json, "condition"), number(json, "added_mass_g", 0.0),
                            number(json, "test_box_l", 0.0)};
    case TakeKind::kLevelStep:
      return LevelStepSetup{placement(json)};
    case TakeKind::kMultitone:
      return MultitoneSetup{placement(json), numbers(json, "tones_hz")};
    case TakeKind::kSteadyTones:
      return SteadyTonesSetup{placement(json), text(json, "source"), numbers(json, "tones_hz")};
    case TakeKind::kResponse:
    case TakeKind::kUnknown:
      break;
  }
  return FarFieldSetup{placement(json), text(json, "condition")};
}

}  // namespace lalometer
