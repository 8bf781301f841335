#include "workbench/keeping/practice_keeping.h"

#include <nlohmann/json.hpp>

#include "base/json_text.h"
#include "exchange/json_read.h"

namespace lalometer {

std::string to_json(const CaseState& state) {
  return dumped(nlohmann::json{{"case", state.case_id}, {"verdict", state.verdict}});
}

CaseState case_state_from_json(const std::string& text) {
  const nlohmann::json json = parsed_json(text);
  if (!json.is_object()) return {};
  return {json_text(json, "case"), json_text(json, "verdict")};
}

}  // namespace lalometer
