#pragma once

#include <nlohmann/json.hpp>
#include <string>

/// Forgiving looks into JSON that people write: a member that is missing or of another kind counts
/// as not specified. For nlohmann::json and ordered_json alike.
namespace lalometer {

template <class Json>
[[nodiscard]] double json_number(const Json& json, const char* key, double fallback) {
  const auto found = json.find(key);
  return found != json.end() && found->is_number() ? found->template get<double>() : fallback;
}

template <class Json>
[[nodiscard]] std::string json_text(const Json& json, const char* key,
                                    const std::string& fallback = {}) {
  const auto found = json.find(key);
  return found != json.end() && found->is_string() ? found->template get<std::string>() : fallback;
}

/// The member if it is of this kind (an array, an object), else an empty one of it.
template <class Json>
[[nodiscard]] Json json_member(const Json& json, const char* key, typename Json::value_t type) {
  const auto found = json.find(key);
  return found != json.end() && found->type() == type ? *found : Json(type);
}

}  // namespace lalometer
