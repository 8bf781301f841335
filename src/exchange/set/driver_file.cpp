#include "exchange/set/driver_file.h"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "base/json_text.h"
#include "book/description/driver_parameters.h"
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
  DescribedDriver told;
  for (const char* key : {"fs_hz", "qms", "qes", "vas_l", "re_ohm", "sd_cm2"}) {
    const auto value = figure(root, key);
    if (!value)
      return bad_input(fmt::format("The driver needs \"{}\" as a number.", key), path.string());
    if (!(*value > 0.0) || !std::isfinite(*value))
      return bad_input(fmt::format("\"{}\" must be above 0, not {}.", key, *value), path.string());
    if (const auto named = figure_named(key))
      told.figures.*named = value;
    else
      told.sd_cm2 = value;
  }
  // One number for the coil, where the file tells it: none is added that it does not know of.
  told.figures.le_mh = figure(root, "le_mh").value_or(0.0);
  told.xmax_mm = figure(root, "xmax_mm");
  told.power_w = figure(root, "power_w");
  const auto parameters = parameters_of(told, path.string());
  if (!parameters) return tl::unexpected(parameters.error());
  DriverFile file{parameters->elements, std::nullopt, std::nullopt};
  if (told.xmax_mm) file.xmax_m = parameters->xmax_m;
  if (told.power_w) file.power_w = parameters->power_w;
  return file;
}

}  // namespace lalometer
