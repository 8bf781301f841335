#include "base/json_text.h"

namespace lalometer {

nlohmann::json parsed_json(std::string_view text) {
  return nlohmann::json::parse(text, nullptr, false);
}

nlohmann::ordered_json parsed_ordered_json(std::string_view text) {
  return nlohmann::ordered_json::parse(text, nullptr, false);
}

std::string dumped(const nlohmann::json& json, int indent) {
  return json.dump(indent);
}

std::string dumped(const nlohmann::ordered_json& json, int indent) {
  return json.dump(indent);
}

}  // namespace lalometer
