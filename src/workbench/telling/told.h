#pragma once

#include <concepts>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <variant>
#include <vector>

#include "acoustics/impedance/estimate.h"

/// Results as they are told: to a script as JSON, to a reader as a table, and to reports, from one
/// description of what there is. What is computed stays in its own types; one function per result
/// (told_of() in the files beside this one) names its figures.
namespace lalometer {

/// Named values in an order. A name ends with its unit ("f3_hz", "vas_l").
class Told {
 public:
  /// Members of a member.
  using Object = std::shared_ptr<const Told>;
  /// nullptr: could not be determined; a note says why.
  using Value =
      std::variant<std::nullptr_t, bool, std::int64_t, double, std::string, Estimate,
                   std::vector<double>, std::vector<std::int64_t>, std::vector<std::string>,
                   std::vector<Told>, Object, std::vector<std::vector<double>>>;

  Told& put(std::string key, Value value);
  Told& put(std::string key, std::nullptr_t) { return put(std::move(key), Value(nullptr)); }
  Told& put(std::string key, bool value) { return put(std::move(key), Value(value)); }
  Told& put(std::string key, double value) { return put(std::move(key), Value(value)); }
  Told& put(std::string key, std::string_view text) {
    return put(std::move(key), Value(std::string(text)));
  }
  Told& put(std::string key, const char* text) {
    return put(std::move(key), std::string_view(text));
  }
  Told& put(std::string key, const std::string& text) {
    return put(std::move(key), std::string_view(text));
  }
  template <std::integral Whole>
  Told& put(std::string key, Whole value) {
    return put(std::move(key), Value(static_cast<std::int64_t>(value)));
  }
  Told& put(std::string key, Told members) {
    return put(std::move(key), Value(std::make_shared<const Told>(std::move(members))));
  }
  Told& put(std::string key, const std::optional<double>& value) {
    return put(std::move(key), value ? Value(*value) : Value(nullptr));
  }
  /// @param scale  from the estimate's unit to the key's.
  Told& put(std::string key, const std::optional<Estimate>& e, double scale);
  /// The value as a plain number, its half-width under the same name in "uncertainty".
  Told& put_apart(const std::string& key, const Estimate& e);
  Told& put_apart(const std::string& key, const std::optional<Estimate>& e) {
    return e ? put_apart(key, *e) : put(key, nullptr);
  }
  /// A value for each of `count`.
  template <class Function>
  Told& put_each(std::string key, std::size_t count, Function value) {
    std::vector<double> values;
    values.reserve(count);
    for (std::size_t i = 0; i < count; ++i) values.push_back(value(i));
    return put(std::move(key), Value(std::move(values)));
  }
  /// What the reader should know: why something is missing, what was left out.
  Told& note(std::string text);
  Told& notes(const std::vector<std::string>& texts);
  /// Every n-th row of its columns stands in the table; 0, as at first: none of them.
  Told& columns_every(std::size_t n);

  [[nodiscard]] const std::vector<std::pair<std::string, Value>>& members() const {
    return members_;
  }
  [[nodiscard]] const std::vector<std::string>& notes() const { return notes_; }
  /// Half-widths of what was put apart.
  [[nodiscard]] const std::vector<std::pair<std::string, double>>& spread() const {
    return spread_;
  }
  /// Whether notes belong to it, be there some or none.
  [[nodiscard]] bool tells_notes() const { return tells_notes_; }
  [[nodiscard]] std::size_t every() const { return every_; }
  [[nodiscard]] const Value* find(const std::string& key) const;

 private:
  std::vector<std::pair<std::string, Value>> members_;
  std::vector<std::pair<std::string, double>> spread_;
  std::vector<std::string> notes_;
  bool tells_notes_ = false;
  std::size_t every_ = 0;
};

/// One JSON object; numbers that are not finite are null, the notes stand under "notes".
/// @param indent  below 0: one line.
[[nodiscard]] std::string json_text(const Told& told, int indent = -1);
/// A line a figure with unit and 95 % interval, a line a row of lists, columns of numbers, notes.
[[nodiscard]] std::string table_text(const Told& told);

/// The unit that a name ends with; empty where it names none.
[[nodiscard]] std::string unit_of(const std::string& key);

}  // namespace lalometer
