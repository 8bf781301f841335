#include "workbench/keeping/lane_keeping.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "base/json_text.h"
#include "exchange/json_read.h"

namespace lalometer {

using Json = nlohmann::json;

std::string to_json(const std::vector<KeptLane>& lanes) {
  Json list = Json::array();
  for (const KeptLane& lane : lanes) {
    list.push_back({{"kind", lane.kind},
                    {"weight", lane.weight},
                    {"fitted", lane.fitted},
                    {"low", lane.low},
                    {"high", lane.high}});
  }
  return dumped(list);
}

std::vector<KeptLane> lanes_from_json(const std::string& text) {
  std::vector<KeptLane> lanes;
  const Json list = parsed_json(text);
  if (!list.is_array()) return lanes;
  for (const Json& json : list) {
    if (!json.is_object() || json_text(json, "kind").empty()) continue;
    KeptLane lane;
    lane.kind = json_text(json, "kind");
    lane.weight = std::clamp(json_number(json, "weight", 1.0), 0.2, 8.0);
    const auto fitted = json.find("fitted");
    lane.fitted = fitted == json.end() || !fitted->is_boolean() || fitted->get<bool>();
    lane.low = json_number(json, "low", 0.0);
    lane.high = json_number(json, "high", 1.0);
    if (!(lane.high > lane.low)) lane.fitted = true;
    lanes.push_back(std::move(lane));
  }
  return lanes;
}

}  // namespace lalometer
