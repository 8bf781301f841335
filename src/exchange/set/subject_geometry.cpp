#include "exchange/set/subject_geometry.h"

#include <cmath>
#include <nlohmann/json.hpp>

#include "base/constants.h"
#include "base/json_text.h"
#include "base/text.h"
#include "exchange/json_read.h"

namespace lalometer {
namespace {

using Json = nlohmann::json;

std::optional<double> number(const Json& json, const char* key) {
  const auto found = json.find(key);
  if (found == json.end() || !found->is_number()) return std::nullopt;
  return found->get<double>();
}

SubjectDriver driver_of(const Json& json) {
  SubjectDriver driver;
  driver.id = json_text(json, "id");
  driver.role = json_text(json, "role");
  driver.x_m = number(json, "x_mm").value_or(0.0) / 1e3;
  driver.y_m = number(json, "y_mm").value_or(0.0) / 1e3;
  if (const auto sd = number(json, "sd_cm2"); sd && *sd > 0.0)
    driver.radius_m = std::sqrt(*sd / 1e4 / kPi);
  else if (const auto diameter = number(json, "diameter_mm"); diameter && *diameter > 0.0)
    driver.radius_m = 0.5e-3 * *diameter;
  return driver;
}

Result<SubjectPort> port_of(const Json& json, const std::string& where) {
  SubjectPort port;
  port.id = json_text(json, "id");
  port.panel = json_text(json, "panel");
  port.x_m = number(json, "x_mm").value_or(0.0) / 1e3;
  port.y_m = number(json, "y_mm").value_or(0.0) / 1e3;
  const auto diameter = number(json, "diameter_mm");
  const auto length = number(json, "length_mm");
  const double slot = number(json, "slot_height_mm").value_or(0.0);
  const double count = number(json, "count").value_or(1.0);
  if (!diameter || !length || !(*diameter > 0.0) || !(*length > 0.0) || slot < 0.0 || count < 1.0) {
    return bad_input(fmt::format("Port \"{}\" needs diameter_mm and length_mm above 0.", port.id),
                     where);
  }
  port.geometry = {.diameter_m = *diameter / 1e3,
                   .length_m = *length / 1e3,
                   .count = static_cast<int>(count),
                   .slot_height_m = slot / 1e3,
                   .flare_radius_m = number(json, "flare_radius_mm").value_or(0.0) / 1e3};
  return port;
}

Result<void> read_baffle(SubjectGeometry& g, const Json& json, const std::string& where) {
  const auto width = number(json, "width_mm");
  const auto height = number(json, "height_mm");
  if (!width || !height) return {};
  const double round = number(json, "edge_radius_mm").value_or(0.0);
  const double chamfer = number(json, "edge_chamfer_mm").value_or(0.0);
  // A depth that is not specified hardly matters in front: that of the width is taken.
  auto baffle = Baffle::make({.width_m = *width / 1e3,
                              .height_m = *height / 1e3,
                              .depth_m = number(json, "depth_mm").value_or(*width) / 1e3,
                              .edge = round > 0.0     ? EdgeShape::kRound
                                      : chamfer > 0.0 ? EdgeShape::kChamfered
                                                      : EdgeShape::kSquare,
                              .edge_size_m = std::max(round, chamfer) / 1e3});
  if (!baffle) return fail(baffle.error().code, baffle.error().message, where + ": baffle");
  g.baffle = *baffle;
  g.origin_x_m = number(json, "left_mm").value_or(0.5 * *width) / 1e3;
  g.origin_y_m = (*height - number(json, "top_mm").value_or(0.5 * *height)) / 1e3;
  return {};
}

}  // namespace

const SubjectDriver* SubjectGeometry::driver(const std::string& id) const {
  for (const SubjectDriver& d : drivers) {
    if (d.id == id) return &d;
  }
  return nullptr;
}

Result<BafflePiston> SubjectGeometry::piston(const SubjectDriver& d) const {
  if (!baffle) return bad_input("The subject's baffle has no width_mm and height_mm.");
  if (!d.radius_m) return bad_input(fmt::format("Driver \"{}\" has no size.", d.id));
  auto made = BafflePiston::make(*baffle, origin_x_m + d.x_m, origin_y_m + d.y_m, *d.radius_m);
  if (!made) return bad_input(fmt::format("Driver \"{}\": {}", d.id, made.error().message));
  return made;
}

Result<SubjectGeometry> geometry_of(const std::string& description_json, const std::string& where) {
  const Json root = parsed_json(description_json);
  if (!root.is_object()) return bad_input("The subject is not a JSON object.", where);
  SubjectGeometry g;
  g.loading = json_text(root, "loading");
  for (const Json& json : json_member(root, "drivers", Json::value_t::array)) {
    if (json.is_object()) g.drivers.push_back(driver_of(json));
  }
  if (auto read = read_baffle(g, json_member(root, "baffle", Json::value_t::object), where); !read)
    return tl::unexpected(read.error());
  const Json box = json_member(root, "box", Json::value_t::object);
  if (const auto net = number(box, "net_volume_l")) {
    if (!(*net > 0.0)) return bad_input("net_volume_l must be above 0.", where + ": box");
    g.net_volume_m3 = *net / 1e3;
  }
  const auto w = number(box, "inner_width_mm");
  const auto h = number(box, "inner_height_mm");
  const auto d = number(box, "inner_depth_mm");
  if (w && h && d) {
    if (!(*w > 0.0 && *h > 0.0 && *d > 0.0))
      return bad_input("The inner dimensions must be above 0.", where + ": box");
    g.inner = InnerBox{*w / 1e3, *h / 1e3, *d / 1e3};
  }
  const std::string damping = json_text(box, "damping");
  g.damping = damping == "lined"    ? BoxDamping::kLined
              : damping == "filled" ? BoxDamping::kFilled
                                    : BoxDamping::kNone;
  for (const Json& json : json_member(root, "ports", Json::value_t::array)) {
    auto port = port_of(json, where + ": ports");
    if (!port) return tl::unexpected(port.error());
    g.ports.push_back(*port);
  }
  for (const Json& json : json_member(root, "crossovers", Json::value_t::array)) {
    const auto f = json.is_object() ? number(json, "frequency_hz") : std::nullopt;
    if (!f || !(*f > 0.0)) continue;
    g.crossovers.push_back({json_text(json, "low"), json_text(json, "high"), *f,
                            static_cast<int>(number(json, "order").value_or(0.0))});
  }
  return g;
}

}  // namespace lalometer
