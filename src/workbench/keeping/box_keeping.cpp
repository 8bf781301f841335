#include "workbench/keeping/box_keeping.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "base/json_text.h"
#include "exchange/json_read.h"

namespace lalometer {
namespace {

using Json = nlohmann::json;

Json json_of(const BoxCandidate& c) {
  return {{"name", c.name},
          {"kind", static_cast<int>(c.kind)},
          {"volume_l", c.volume_l},
          {"tuning_hz", c.tuning_hz},
          {"port_diameter_mm", c.port_diameter_mm},
          {"port_count", c.port_count},
          {"radiator_sd_cm2", c.radiator_sd_cm2},
          {"radiator_mass_g", c.radiator_mass_g},
          {"radiator_fs_hz", c.radiator_fs_hz},
          {"ql", c.ql},
          {"qa", c.qa},
          {"qp", c.qp},
          {"series_ohm", c.series_ohm}};
}

BoxCandidate candidate_of(const Json& json, BoxCandidate c) {
  c.name = json_text(json, "name");
  c.kind = static_cast<BoxCandidate::Kind>(
      std::clamp(static_cast<int>(json_number(json, "kind", 1.0)), 0, 2));
  for (const auto& [key, value] : {std::pair{"volume_l", &c.volume_l},
                                   {"tuning_hz", &c.tuning_hz},
                                   {"port_diameter_mm", &c.port_diameter_mm},
                                   {"radiator_sd_cm2", &c.radiator_sd_cm2},
                                   {"radiator_mass_g", &c.radiator_mass_g},
                                   {"radiator_fs_hz", &c.radiator_fs_hz},
                                   {"ql", &c.ql},
                                   {"qa", &c.qa},
                                   {"qp", &c.qp},
                                   {"series_ohm", &c.series_ohm}})
    *value = json_number(json, key, *value);
  c.port_count = static_cast<int>(json_number(json, "port_count", c.port_count));
  return c;
}

}  // namespace

std::string to_json(const KeptBoxes& boxes) {
  Json candidates = Json::array();
  for (const BoxCandidate& c : boxes.candidates) candidates.push_back(json_of(c));
  return dumped(Json{{"power_w", boxes.power_w}, {"candidates", candidates}});
}

KeptBoxes boxes_from_json(const std::string& text, const BoxCandidate& first) {
  const Json json = parsed_json(text);
  KeptBoxes boxes;
  if (!json.is_object()) return boxes;
  boxes.power_w = json_number(json, "power_w", boxes.power_w);
  for (const Json& one : json_member(json, "candidates", Json::value_t::array))
    if (one.is_object()) boxes.candidates.push_back(candidate_of(one, first));
  return boxes;
}

}  // namespace lalometer
