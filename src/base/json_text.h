#pragma once

#include <nlohmann/json.hpp>
#include <string>
#include <string_view>

/// JSON to text and back, compiled once: the library's parser and writer are templates, and every
/// file that calls them directly would compile them anew.
namespace lalometer {

/// Discarded (is_discarded()) where the text is no JSON.
[[nodiscard]] nlohmann::json parsed_json(std::string_view text);
/// The same with the members in the order of the text.
[[nodiscard]] nlohmann::ordered_json parsed_ordered_json(std::string_view text);
/// @param indent  below 0: one line.
[[nodiscard]] std::string dumped(const nlohmann::json& json, int indent = -1);
[[nodiscard]] std::string dumped(const nlohmann::ordered_json& json, int indent = -1);

}  // namespace lalometer
