#include "workbench/telling/told.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>

#include "base/json_text.h"
#include "base/text.h"
#include "workbench/results/impedance_reading.h"

namespace lalometer {
namespace {

using Json = nlohmann::ordered_json;

Json json_of(const Told& told);

Json number(double value) {
  return std::isfinite(value) ? Json(value) : Json(nullptr);
}

Json json_of(const Told::Value& value) {
  return std::visit(
      [](const auto& v) -> Json {
        using T = std::decay_t<decltype(v)>;
        if constexpr (std::is_same_v<T, double>) {
          return number(v);
        } else if constexpr (std::is_same_v<T, Estimate>) {
          return {{"value", number(v.value)}, {"uncertainty", number(v.half_width)}};
        } else if constexpr (std::is_same_v<T, std::vector<double>>) {
          Json list = Json::array();
          for (const double one : v) list.push_back(number(one));
          return list;
        } else if constexpr (std::is_same_v<T, std::vector<Told>>) {
          Json list = Json::array();
          for (const Told& one : v) list.push_back(json_of(one));
          return list;
        } else if constexpr (std::is_same_v<T, Told::Object>) {
          return json_of(*v);
        } else {
          return Json(v);
        }
      },
      value);
}

Json json_of(const Told& told) {
  Json json = Json::object();
  for (const auto& [key, value] : told.members()) json[key] = json_of(value);
  for (const auto& [key, half_width] : told.spread()) json["uncertainty"][key] = number(half_width);
  if (told.tells_notes()) json["notes"] = told.notes();
  return json;
}

/// The name without its unit, in words: "peak_dissipation_at_hz" gives "peak dissipation at".
std::string words_of(const std::string& key) {
  std::string words = unit_of(key).empty() ? key : key.substr(0, key.rfind('_'));
  std::replace(words.begin(), words.end(), '_', ' ');
  return words;
}

/// A single value as text; empty for lists and members.
std::string value_text(const std::string& key, const Told::Value& value) {
  const std::string unit = unit_of(key);
  // Moments are told to the microsecond: three digits would be a hand's breadth of sound.
  if (const auto* number = std::get_if<double>(&value); number != nullptr && unit == "s")
    return fmt::format("{:.6f} s", *number);
  if (const auto* number = std::get_if<double>(&value))
    return with_uncertainty(Estimate{*number, 0.0}, unit);
  if (const auto* number = std::get_if<std::int64_t>(&value)) return fmt::format("{}", *number);
  if (const auto* estimate = std::get_if<Estimate>(&value))
    return with_uncertainty(*estimate, unit);
  if (const auto* text = std::get_if<std::string>(&value)) return *text;
  if (const auto* flag = std::get_if<bool>(&value)) return *flag ? "yes" : "no";
  return {};
}

/// A row of a list: what stands in it, one after the other.
std::string row_text(const Told& row) {
  std::string line;
  for (const auto& [key, value] : row.members()) {
    std::string text = value_text(key, value);
    if (const auto* list = std::get_if<std::vector<std::string>>(&value))
      text = fmt::format("{}", fmt::join(*list, "; "));
    if (text.empty()) continue;
    if (!line.empty()) line += ", ";
    // Words speak for themselves, numbers need their name.
    line += std::holds_alternative<std::string>(value) ? text : words_of(key) + " " + text;
  }
  return line;
}

}  // namespace

Told& Told::put(std::string key, Value value) {
  const auto there = std::find_if(members_.begin(), members_.end(),
                                  [&](const auto& member) { return member.first == key; });
  if (there != members_.end())
    there->second = std::move(value);
  else
    members_.emplace_back(std::move(key), std::move(value));
  return *this;
}

Told& Told::put(std::string key, const std::optional<Estimate>& e, double scale) {
  return put(std::move(key),
             e ? Value(Estimate{e->value * scale, e->half_width * std::abs(scale)}) : nullptr);
}

Told& Told::put_apart(const std::string& key, const Estimate& e) {
  spread_.emplace_back(key, e.half_width);
  return put(key, Value(e.value));
}

Told& Told::note(std::string text) {
  tells_notes_ = true;
  notes_.push_back(std::move(text));
  return *this;
}

Told& Told::notes(const std::vector<std::string>& texts) {
  tells_notes_ = true;
  notes_.insert(notes_.end(), texts.begin(), texts.end());
  return *this;
}

Told& Told::columns_every(std::size_t n) {
  every_ = n;
  return *this;
}

const Told::Value* Told::find(const std::string& key) const {
  for (const auto& [name, value] : members_) {
    if (name == key) return &value;
  }
  return nullptr;
}

std::string json_text(const Told& told, int indent) {
  return dumped(json_of(told), indent);
}

std::string unit_of(const std::string& key) {
  static const std::map<std::string, std::string> whole = {
      {"sensitivity_db_2v83_1m", "dB"}, {"sensitivity_db_1w_1m", "dB"}, {"cms_mm_per_n", "mm/N"},
      {"rms_kg_per_s", "kg/s"},         {"port_velocity_m_s", "m/s"},
  };
  static const std::map<std::string, std::string> endings = {
      {"hz", "Hz"}, {"ohm", "ohm"}, {"percent", "%"}, {"mm", "mm"}, {"cm", "cm"}, {"l", "l"},
      {"db", "dB"}, {"w", "W"},     {"v", "V"},       {"m", "m"},   {"g", "g"},   {"s", "s"},
      {"mh", "mH"}, {"tm", "T m"},  {"cm2", "cm²"},   {"deg", "°"}, {"ms", "ms"}};
  if (const auto found = whole.find(key); found != whole.end()) return found->second;
  if (key.find('_') == std::string::npos) return {};
  const auto found = endings.find(key.substr(key.rfind('_') + 1));
  return found == endings.end() ? "" : found->second;
}

namespace {

/// Columns of equal length side by side, every n-th row.
std::string columns_text(const std::vector<std::pair<std::string, const std::vector<double>*>>& all,
                         std::size_t every) {
  std::string out;
  for (const auto& [key, values] : all) {
    const std::string unit = unit_of(key);
    out += fmt::format("{:>12}", unit.empty() ? words_of(key) : unit);
  }
  out += '\n';
  for (std::size_t i = 0; i < all.front().second->size(); i += every) {
    for (const auto& [key, values] : all) {
      const double value = (*values)[i];
      out += std::isfinite(value) ? fmt::format("{:>12.2f}", value) : fmt::format("{:>12}", "-");
    }
    out += '\n';
  }
  return out;
}

}  // namespace

std::string table_text(const Told& told) {
  std::string out;
  std::vector<std::pair<std::string, const std::vector<double>*>> columns;
  for (const auto& [key, value] : told.members()) {
    if (const auto* values = std::get_if<std::vector<double>>(&value)) {
      const bool first = columns.empty();
      if (told.every() > 0 && !values->empty() &&
          (first || values->size() == columns.front().second->size()))
        columns.emplace_back(key, values);
    }
  }
  if (!columns.empty()) out += columns_text(columns, told.every());
  for (const auto& [key, value] : told.members()) {
    std::string text = value_text(key, value);
    for (const auto& [name, half_width] : told.spread()) {
      if (name == key)
        text = with_uncertainty(Estimate{std::get<double>(value), half_width}, unit_of(key));
    }
    if (!text.empty()) out += fmt::format("{:<30} {}\n", key, text);
    if (const auto* members = std::get_if<Told::Object>(&value)) {
      if (const std::string row = row_text(**members); !row.empty())
        out += fmt::format("{:<30} {}\n", key, row);
    }
    if (const auto* rows = std::get_if<std::vector<Told>>(&value)) {
      for (const Told& row : *rows) out += fmt::format("{:<30} {}\n", key, row_text(row));
    }
  }
  for (const std::string& note : told.notes()) out += fmt::format("note: {}\n", note);
  return out;
}

}  // namespace lalometer
