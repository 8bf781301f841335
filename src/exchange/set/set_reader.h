#pragma once

#include <fmt/format.h>

#include <nlohmann/json.hpp>
#include <string>

#include "base/json_text.h"
#include "base/result.h"

namespace lalometer {

/// Reads one object's members with the place in every complaint.
class SetReader {
 public:
  SetReader(const nlohmann::ordered_json& json, std::string where)
      : json_(json), where_(std::move(where)) {}

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
  void complain(const char* key, const char* wanted, const nlohmann::ordered_json& found) {
    require(false, fmt::format("\"{}\" should be {}, found {}.", key, wanted,
                               dumped(found).substr(0, 60)));
  }
  const nlohmann::ordered_json& json_;
  std::string where_;
  std::string problem_;
};

}  // namespace lalometer
