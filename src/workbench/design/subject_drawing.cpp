#include "workbench/design/subject_drawing.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "acoustics/baffle/diffraction.h"
#include "acoustics/baffle/rules.h"
#include "acoustics/enclosure/enclosure_model.h"
#include "base/constants.h"
#include "base/json_text.h"
#include "base/text.h"
#include "exchange/json_read.h"
#include "exchange/set/subject_geometry.h"

namespace lalometer {
namespace {

using Json = nlohmann::ordered_json;

constexpr double kSmallest_mm = 20.0;

Json parsed(const std::string& text) {
  Json json = parsed_ordered_json(text);
  return json.is_object() ? json : Json::object();
}

const char* list_of(DrawnPart::Kind kind) {
  switch (kind) {
    case DrawnPart::Kind::kDriver:
      return "drivers";
    case DrawnPart::Kind::kPort:
      return "ports";
    case DrawnPart::Kind::kRadiator:
      return "passive_radiators";
  }
  return "drivers";
}

/// Tenths of a millimetre are finer than a saw.
double tidy(double mm) {
  return std::round(mm * 10.0) / 10.0;
}

DrawnPart part_of(const Json& json, DrawnPart::Kind kind, std::size_t index) {
  DrawnPart part;
  part.kind = kind;
  part.index = index;
  part.id = json_text(json, "id",
                      json_text(json, "role", kind == DrawnPart::Kind::kPort ? "port" : "driver"));
  part.role = json_text(json, "role");
  part.panel = json_text(json, "panel", "front");
  part.x_mm = json_number(json, "x_mm", 0.0);
  part.y_mm = json_number(json, "y_mm", 0.0);
  const double sd = json_number(json, "sd_cm2", 0.0);
  const double diameter = json_number(json, "diameter_mm", 0.0);
  part.radius_mm =
      kind != DrawnPart::Kind::kPort && sd > 0.0 ? 10.0 * std::sqrt(sd / kPi) : 0.5 * diameter;
  part.height_mm = json_number(json, "slot_height_mm", 0.0);
  part.length_mm = json_number(json, "length_mm", 0.0);
  return part;
}

/// Half sizes of a part's outline.
std::pair<double, double> half_of(const DrawnPart& p) {
  return {p.radius_mm, p.height_mm > 0.0 ? 0.5 * p.height_mm : p.radius_mm};
}

void find_problems(DrawnSubject& s) {
  if (!s.has_baffle) return;
  if (s.edge_mm >= 0.5 * std::min(s.width_mm, s.height_mm))
    s.problems.emplace_back("The edges' rounding is as large as half the front.");
  if (s.inner_width_mm > s.width_mm || s.inner_height_mm > s.height_mm ||
      s.inner_depth_mm > s.depth_mm)
    s.problems.emplace_back("The box is larger inside than outside.");
  const double inside_l = s.inner_width_mm * s.inner_height_mm * s.inner_depth_mm / 1e6;
  if (s.net_volume_l && inside_l > 0.0 && *s.net_volume_l > 1.001 * inside_l) {
    s.problems.push_back(fmt::format("A net volume of {} l does not fit into {} l inside.",
                                     three_digits(*s.net_volume_l), three_digits(inside_l)));
  }
  if (s.net_volume_l && !(*s.net_volume_l > 0.0))
    s.problems.emplace_back("The net volume must be above 0.");
  const double inset = s.edge == EdgeShape::kChamfered ? s.edge_mm / std::sqrt(2.0) : s.edge_mm;
  for (std::size_t i = 0; i < s.parts.size(); ++i) {
    DrawnPart& p = s.parts[i];
    const auto [half_x, half_y] = half_of(p);
    const bool front = p.panel == "front";
    if (p.kind == DrawnPart::Kind::kDriver && !(p.radius_mm > 0.0))
      p.problems.push_back("Its size is not specified: sd_cm2 or diameter_mm.");
    if (front || p.panel == "back") {
      const double x = s.left_mm + p.x_mm;
      const double y = s.height_mm - s.top_mm + p.y_mm;
      const double keep = front ? inset : 0.0;
      if (x - half_x < keep || x + half_x > s.width_mm - keep || y - half_y < keep ||
          y + half_y > s.height_mm - keep) {
        p.problems.push_back(front ? "It does not lie on the flat of the front."
                                   : "It does not lie on the back.");
      }
    }
    if (p.kind == DrawnPart::Kind::kPort) {
      if (!(p.radius_mm > 0.0) || !(p.length_mm > 0.0)) {
        p.problems.push_back("It needs a diameter and a length above 0.");
      } else if (s.inner_depth_mm > 0.0) {
        const double along = front || p.panel == "back"                ? s.inner_depth_mm
                             : p.panel == "left" || p.panel == "right" ? s.inner_width_mm
                                                                       : s.inner_height_mm;
        const PortGeometry port{2.0 * p.radius_mm / 1e3, p.length_mm / 1e3, 1, p.height_mm / 1e3};
        if (const auto problem = clearance_problem(port, along / 1e3))
          p.problems.push_back(*problem);
      }
    }
    for (std::size_t j = 0; j < i; ++j) {
      const DrawnPart& other = s.parts[j];
      if (other.panel != p.panel) continue;
      const auto [ox, oy] = half_of(other);
      const bool round = p.height_mm <= 0.0 && other.height_mm <= 0.0;
      const double dx = std::abs(p.x_mm - other.x_mm);
      const double dy = std::abs(p.y_mm - other.y_mm);
      if (round ? std::hypot(dx, dy) < half_x + ox : dx < half_x + ox && dy < half_y + oy)
        p.problems.push_back(fmt::format("It overlaps {}.", other.id));
    }
  }
}

/// Grows or shrinks the inside with the outside and keeps the net volume's share of it.
void resize_inside(Json& root, const char* inner_key, double by_mm) {
  Json& box = root["box"];
  if (!box.is_object()) return;
  const double before = json_number(box, inner_key, 0.0);
  if (!(before > 0.0)) return;
  const double after = std::max(before + by_mm, 1.0);
  box[inner_key] = tidy(after);
  if (const double net = json_number(box, "net_volume_l", 0.0); net > 0.0)
    box["net_volume_l"] = std::round(net * after / before * 1e3) / 1e3;
}

SubjectGeometry or_empty(const std::string& description) {
  return geometry_of(description, "").value_or(SubjectGeometry{});
}

}  // namespace

DrawnSubject drawn_subject(const std::string& description_json) {
  const Json root = parsed(description_json);
  DrawnSubject s;
  s.loading = json_text(root, "loading");
  const Json baffle = json_member(root, "baffle", Json::value_t::object);
  s.width_mm = json_number(baffle, "width_mm", 0.0);
  s.height_mm = json_number(baffle, "height_mm", 0.0);
  s.has_baffle = s.width_mm > 0.0 && s.height_mm > 0.0;
  s.depth_mm = json_number(baffle, "depth_mm", s.width_mm);
  s.left_mm = json_number(baffle, "left_mm", 0.5 * s.width_mm);
  s.top_mm = json_number(baffle, "top_mm", 0.5 * s.height_mm);
  const double round = json_number(baffle, "edge_radius_mm", 0.0);
  const double chamfer = json_number(baffle, "edge_chamfer_mm", 0.0);
  s.edge = round > 0.0     ? EdgeShape::kRound
           : chamfer > 0.0 ? EdgeShape::kChamfered
                           : EdgeShape::kSquare;
  s.edge_mm = std::max(round, chamfer);
  const Json wings = json_member(root, "wings", Json::value_t::object);
  s.left_wing_mm = json_number(wings, "left_mm", 0.0);
  s.right_wing_mm = json_number(wings, "right_mm", 0.0);
  const Json box = json_member(root, "box", Json::value_t::object);
  s.inner_width_mm = json_number(box, "inner_width_mm", 0.0);
  s.inner_height_mm = json_number(box, "inner_height_mm", 0.0);
  s.inner_depth_mm = json_number(box, "inner_depth_mm", 0.0);
  if (box.contains("net_volume_l")) s.net_volume_l = json_number(box, "net_volume_l", 0.0);
  for (const auto kind :
       {DrawnPart::Kind::kDriver, DrawnPart::Kind::kPort, DrawnPart::Kind::kRadiator}) {
    const auto found = root.find(list_of(kind));
    if (found == root.end() || !found->is_array()) continue;
    for (std::size_t i = 0; i < found->size(); ++i)
      if ((*found)[i].is_object()) s.parts.push_back(part_of((*found)[i], kind, i));
  }
  find_problems(s);
  return s;
}

std::string with_part_figure(const std::string& description_json, const DrawnPart& part,
                             const std::string& key, double value) {
  Json root = parsed(description_json);
  Json& list = root[list_of(part.kind)];
  if (list.is_array() && part.index < list.size() && list[part.index].is_object()) {
    list[part.index][key] = value;
    // Two keys for one size must not contradict each other.
    if (key == "diameter_mm") list[part.index].erase("sd_cm2");
  }
  return dumped(root);
}

std::string with_part_at(const std::string& description_json, const DrawnPart& part, double x_mm,
                         double y_mm) {
  Json root = parsed(description_json);
  Json& list = root[list_of(part.kind)];
  if (list.is_array() && part.index < list.size() && list[part.index].is_object()) {
    list[part.index]["x_mm"] = tidy(x_mm);
    list[part.index]["y_mm"] = tidy(y_mm);
  }
  return dumped(root);
}

std::string with_edge_moved(const std::string& description_json, DrawingGrip::Kind edge,
                            double by_mm) {
  const DrawnSubject s = drawn_subject(description_json);
  Json root = parsed(description_json);
  if (!s.has_baffle) return dumped(root);
  Json& baffle = root["baffle"];
  const auto grow = [&](const char* key, const char* inner_key, double size, double by) {
    const double grown = std::max(tidy(size + by), kSmallest_mm);
    baffle[key] = grown;
    resize_inside(root, inner_key, grown - size);
    return grown - size;
  };
  // Told or not, the origin stays where it is in the room.
  baffle["left_mm"] = s.left_mm;
  baffle["top_mm"] = s.top_mm;
  switch (edge) {
    case DrawingGrip::Kind::kLeft:
      baffle["left_mm"] = tidy(s.left_mm + grow("width_mm", "inner_width_mm", s.width_mm, by_mm));
      break;
    case DrawingGrip::Kind::kRight:
      grow("width_mm", "inner_width_mm", s.width_mm, by_mm);
      break;
    case DrawingGrip::Kind::kTop:
      baffle["top_mm"] = tidy(s.top_mm + grow("height_mm", "inner_height_mm", s.height_mm, by_mm));
      break;
    case DrawingGrip::Kind::kBottom:
      grow("height_mm", "inner_height_mm", s.height_mm, by_mm);
      break;
    case DrawingGrip::Kind::kBack:
      grow("depth_mm", "inner_depth_mm", s.depth_mm, by_mm);
      break;
    case DrawingGrip::Kind::kPart:
    case DrawingGrip::Kind::kPortEnd:
      break;
  }
  return dumped(root);
}

std::string with_figure(const std::string& description_json, const std::string& key, double value) {
  const DrawnSubject s = drawn_subject(description_json);
  if (key == "width_mm")
    return with_edge_moved(description_json, DrawingGrip::Kind::kRight, value - s.width_mm);
  if (key == "height_mm")
    return with_edge_moved(description_json, DrawingGrip::Kind::kBottom, value - s.height_mm);
  if (key == "depth_mm")
    return with_edge_moved(description_json, DrawingGrip::Kind::kBack, value - s.depth_mm);
  Json root = parsed(description_json);
  if (key == "net_volume_l") {
    root["box"][key] = value;
  } else {
    root["baffle"][key] = value;
    if (key == "edge_radius_mm") root["baffle"].erase("edge_chamfer_mm");
    if (key == "edge_chamfer_mm") root["baffle"].erase("edge_radius_mm");
  }
  return dumped(root);
}

std::string with_first_box(const std::string& description_json) {
  Json root = parsed(description_json);
  root["baffle"] = {{"width_mm", 200}, {"height_mm", 320}, {"depth_mm", 240},
                    {"left_mm", 100},  {"top_mm", 160},    {"edge_radius_mm", 0}};
  if (!root.contains("drivers") || !root["drivers"].is_array() || root["drivers"].empty())
    root["drivers"] = Json::array(
        {{{"id", "woofer"}, {"role", "woofer"}, {"diameter_mm", 130}, {"x_mm", 0}, {"y_mm", 0}}});
  if (!root.contains("box"))
    root["box"] = {{"inner_width_mm", 164},
                   {"inner_height_mm", 284},
                   {"inner_depth_mm", 204},
                   {"net_volume_l", 8.5}};
  return dumped(root);
}

namespace {

void add_part_figures(std::vector<KeyFigure>& figures, const DrawnSubject& s,
                      const SubjectGeometry& g, const DrawnPart& p) {
  const double c = kSpeedOfSound20_m_s;
  if (p.kind == DrawnPart::Kind::kDriver && g.baffle && p.index < g.drivers.size()) {
    if (const auto piston = g.piston(g.drivers[p.index])) {
      const std::vector<EdgeRule> edges = edge_rules(*g.baffle, *piston, c);
      for (const EdgeRule& e : edges) {
        figures.push_back({fmt::format("{} edge", e.name),
                           fmt::format("{} mm", three_digits(e.distance_m * 1e3)),
                           fmt::format("peak near {}, dip near {}", frequency_text(e.first_peak_hz),
                                       frequency_text(e.first_dip_hz))});
      }
      for (const EqualEdges& same : equal_edges(edges)) {
        figures.push_back({"alike:", fmt::format("{}", fmt::join(same.names, ", ")),
                           "their ripples add up; keep them a fifth apart"});
      }
    }
    if (g.drivers[p.index].radius_m)
      figures.push_back(
          {"beams from", frequency_text(c / (kPi * *g.drivers[p.index].radius_m)), "ka = 2"});
  }
  for (const DrawnPart& other : s.parts) {
    if (&other == &p || other.kind != DrawnPart::Kind::kDriver ||
        p.kind != DrawnPart::Kind::kDriver)
      continue;
    const double spacing = std::hypot(p.x_mm - other.x_mm, p.y_mm - other.y_mm) / 1e3;
    if (spacing > 0.0) {
      figures.push_back({fmt::format("to {}", other.id),
                         fmt::format("{} mm", three_digits(spacing * 1e3)),
                         fmt::format("a wavelength at {}", frequency_text(c / spacing))});
    }
  }
}

}  // namespace

std::vector<KeyFigure> drawing_figures(const std::string& description_json,
                                       std::optional<std::size_t> part) {
  const DrawnSubject s = drawn_subject(description_json);
  const SubjectGeometry g = or_empty(description_json);
  std::vector<KeyFigure> figures;
  const double c = kSpeedOfSound20_m_s;
  if (part && *part < s.parts.size()) add_part_figures(figures, s, g, s.parts[*part]);
  const double inside_l = s.inner_width_mm * s.inner_height_mm * s.inner_depth_mm / 1e6;
  if (inside_l > 0.0) {
    figures.push_back({"inside", three_digits(inside_l) + " l",
                       fmt::format("{} × {} × {} mm", shortest(s.inner_width_mm),
                                   shortest(s.inner_height_mm), shortest(s.inner_depth_mm))});
  }
  if (g.net_volume_m3 && !g.ports.empty()) {
    std::vector<PortGeometry> ports;
    for (const SubjectPort& p : g.ports) ports.push_back(p.geometry);
    figures.push_back({"tuning", frequency_text(helmholtz_hz(*g.net_volume_m3, ports, c)),
                       "by net volume and port"});
    figures.push_back({"port pipe", frequency_text(pipe_resonance_hz(ports[0], c)), "c / 2L′"});
  }
  if (g.inner) {
    const double longest = std::max({g.inner->width_m, g.inner->height_m, g.inner->depth_m});
    figures.push_back({"lowest wave", frequency_text(0.5 * c / longest),
                       fmt::format("half a wavelength in {} mm", three_digits(longest * 1e3))});
  }
  return figures;
}

LaneContent edge_lane(const std::string& description_json, std::size_t part, bool coarse) {
  LaneContent content;
  content.title = "Edges, modelled";
  content.left = {.quantity = AxisQuantity::kLevel,
                  .scale = AxisScale::kDecibel,
                  .unit = "dB",
                  .low = -8.0,
                  .high = 6.0};
  const DrawnSubject s = drawn_subject(description_json);
  const auto geometry = geometry_of(description_json, "");
  if (!geometry || part >= s.parts.size() || s.parts[part].kind != DrawnPart::Kind::kDriver) {
    content.empty_text =
        geometry ? "Choose a driver: what the edges do to it is shown here, while you move it."
                 : geometry.error().message;
    return content;
  }
  const SubjectDriver& driver = geometry->drivers[s.parts[part].index];
  const auto piston = geometry->piston(driver);
  if (!piston) {
    content.empty_text = piston.error().message;
    return content;
  }
  // While a hand moves a part a first-order curve at a twelfth of an octave follows within a frame.
  const FrequencyAxis axis =
      FrequencyAxis::logarithmic(50.0, coarse ? 16000.0 : 20000.0, coarse ? 16.0 : 48.0);
  const BafflePoint at = point_at(geometry->origin_x_m, geometry->origin_y_m, 1.0, 0.0, 0.0);
  const auto box = baffle_response(*geometry->baffle, *piston, at, axis, kSpeedOfSound20_m_s,
                                   coarse ? DiffractionEffort::kCoarse : DiffractionEffort::kFine);
  const auto wall = infinite_baffle_response(*piston, at, axis, kSpeedOfSound20_m_s);
  Series curve;
  curve.label = driver.id;
  curve.x.assign(axis.hz().begin(), axis.hz().end());
  for (std::size_t i = 0; i < axis.size(); ++i)
    curve.y.push_back(20.0 * std::log10(std::abs(box[i]) / std::abs(wall[i])));
  content.subtitle = fmt::format("{} at 1 m on the 0° axis, dB re an infinite baffle", driver.id);
  content.add_curves().push_back(std::move(curve));
  return content;
}

}  // namespace lalometer
