#include "exchange/set/driver_file.h"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "base/json_text.h"
#include "exchange/audio_file.h"
#include "exchange/text_table.h"

namespace lalometer {
namespace {

using Json = nlohmann::json;

std::optional<double> figure(const Json& root, const char* key) {
  const auto found = root.find(key);
  if (found == root.end()) return std::nullopt;
  const Json& value = found->is_object() && found->contains("value") ? (*found)["value"] : *found;
  if (!value.is_number()) return std::nullopt;
  return value.get<double>();
}

}  // namespace

Result<DriverFile> read_driver(const std::filesystem::path& path) {
  const auto bytes = file_bytes(path);
  if (!bytes) return tl::unexpected(bytes.error());
  const auto text = decoded_text(*bytes, path.string());
  if (!text) return tl::unexpected(text.error());
  const Json root = parsed_json(*text);
  if (!root.is_object()) return bad_input("This is not a JSON object.", path.string());
  QuotedParameters q{};
  for (const auto& [key, target, scale] : {std::tuple{"fs_hz", &q.fs_hz, 1.0},
                                           {"qms", &q.qms, 1.0},
                                           {"qes", &q.qes, 1.0},
                                           {"vas_l", &q.vas_m3, 1e-3},
                                           {"sd_cm2", &q.sd_m2, 1e-4},
                                           {"re_ohm", &q.re_ohm, 1.0}}) {
    const auto value = figure(root, key);
    if (!value)
      return bad_input(fmt::format("The driver needs \"{}\" as a number.", key), path.string());
    if (!(*value > 0.0) || !std::isfinite(*value))
      return bad_input(fmt::format("\"{}\" must be above 0, not {}.", key, *value), path.string());
    *target = *value * scale;
  }
  q.le_h = figure(root, "le_mh").value_or(0.0) / 1e3;
  DriverFile file{elements_of(q), std::nullopt, std::nullopt};
  if (const auto xmax = figure(root, "xmax_mm"); xmax && *xmax > 0.0) file.xmax_m = *xmax / 1e3;
  if (const auto power = figure(root, "power_w"); power && *power > 0.0) file.power_w = *power;
  return file;
}

}  // namespace lalometer
