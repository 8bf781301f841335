#include "workbench/keeping/practice_keeping.h"

#include <nlohmann/json.hpp>

#include "base/json_text.h"
#include "exchange/json_read.h"

namespace lalometer {

std::string to_json(const CaseState& state) {
  nlohmann::json json{{"case", state.case_id}};
  if (state.verdict) {
    json["verdict"] = state.verdict->causes;
    json["sure_percent"] = state.verdict->sure_percent;
  }
  return dumped(json);
}

CaseState case_state_from_json(const std::string& text) {
  const nlohmann::json json = parsed_json(text);
  if (!json.is_object()) return {};
  CaseState state{json_text(json, "case"), std::nullopt};
  const auto verdict = json.find("verdict");
  if (verdict == json.end()) return state;
  GivenVerdict given;
  if (verdict->is_array()) {
    for (const nlohmann::json& cause : *verdict)
      if (cause.is_string()) given.causes.push_back(cause.get<std::string>());
  } else if (const std::string one = json_text(json, "verdict"); !one.empty()) {
    given.causes.push_back(one);  // books before verdicts of several causes
  } else {
    return state;
  }
  given.sure_percent = static_cast<int>(json_number(json, "sure_percent", 0.0));
  state.verdict = std::move(given);
  return state;
}

}  // namespace lalometer
