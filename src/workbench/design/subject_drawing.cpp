#include "workbench/design/subject_drawing.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/baffle/diffraction.h"
#include "acoustics/baffle/rules.h"
#include "acoustics/enclosure/enclosure_model.h"
#include "acoustics/open_baffle/shallow_box.h"
#include "base/constants.h"
#include "base/text.h"
#include "book/description/subject_geometry.h"

namespace lalometer {
namespace {

constexpr double kSmallest_mm = 20.0;

/// Tenths of a millimetre are finer than a saw.
double tidy(double mm) {
  return std::round(mm * 10.0) / 10.0;
}

/// What drivers, ports and radiators have in common.
template <class Told>
DrawnPart part_of(const Told& told, DrawnPart::Kind kind, std::size_t index, const char* nameless) {
  DrawnPart part;
  part.kind = kind;
  part.index = index;
  part.id = told.id.empty() ? nameless : told.id;
  part.x_mm = told.x_mm.value_or(0.0);
  part.y_mm = told.y_mm.value_or(0.0);
  part.radius_mm = 0.5 * told.diameter_mm.value_or(0.0);
  if constexpr (requires { told.panel; }) {
    if (!told.panel.empty()) part.panel = told.panel;
  }
  if constexpr (requires { told.sd_cm2; }) {
    if (told.sd_cm2.value_or(0.0) > 0.0) part.radius_mm = 10.0 * std::sqrt(*told.sd_cm2 / kPi);
  }
  return part;
}

/// Changes the part of the description that is drawn; a part that is gone leaves it as it is.
template <class Change>
void change_part(Description& d, const DrawnPart& part, const Change& change) {
  if (part.kind == DrawnPart::Kind::kDriver && part.index < d.drivers.size())
    change(d.drivers[part.index]);
  if (part.kind == DrawnPart::Kind::kPort && part.index < d.ports.size())
    change(d.ports[part.index]);
  if (part.kind == DrawnPart::Kind::kRadiator && part.index < d.passive_radiators.size())
    change(d.passive_radiators[part.index]);
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
void resize_inside(Description& d, std::optional<double> DescribedBox::*inner, double by_mm) {
  if (!d.box) return;
  const double before = ((*d.box).*inner).value_or(0.0);
  if (!(before > 0.0)) return;
  const double after = std::max(before + by_mm, 1.0);
  (*d.box).*inner = tidy(after);
  if (const double net = d.box->net_volume_l.value_or(0.0); net > 0.0)
    d.box->net_volume_l = std::round(net * after / before * 1e3) / 1e3;
}

SubjectGeometry or_empty(const Description& description) {
  return geometry_of(description, "").value_or(SubjectGeometry{});
}

}  // namespace

DrawnSubject drawn_subject(const Description& d) {
  DrawnSubject s;
  s.loading = d.loading;
  const DescribedBaffle baffle = d.baffle.value_or(DescribedBaffle{});
  s.width_mm = baffle.width_mm.value_or(0.0);
  s.height_mm = baffle.height_mm.value_or(0.0);
  s.has_baffle = s.width_mm > 0.0 && s.height_mm > 0.0;
  s.depth_mm = baffle.depth_mm.value_or(s.width_mm);
  s.left_mm = baffle.left_mm.value_or(0.5 * s.width_mm);
  s.top_mm = baffle.top_mm.value_or(0.5 * s.height_mm);
  const double round = baffle.edge_radius_mm.value_or(0.0);
  const double chamfer = baffle.edge_chamfer_mm.value_or(0.0);
  s.edge = round > 0.0     ? EdgeShape::kRound
           : chamfer > 0.0 ? EdgeShape::kChamfered
                           : EdgeShape::kSquare;
  s.edge_mm = std::max(round, chamfer);
  const DescribedWings wings = d.wings.value_or(DescribedWings{});
  s.left_wing_mm = wings.left_mm.value_or(0.0);
  s.right_wing_mm = wings.right_mm.value_or(0.0);
  const DescribedBox box = d.box.value_or(DescribedBox{});
  s.inner_width_mm = box.inner_width_mm.value_or(0.0);
  s.inner_height_mm = box.inner_height_mm.value_or(0.0);
  s.inner_depth_mm = box.inner_depth_mm.value_or(0.0);
  s.net_volume_l = box.net_volume_l;
  for (std::size_t i = 0; i < d.drivers.size(); ++i) {
    const DescribedDriver& told = d.drivers[i];
    DrawnPart part = part_of(told, DrawnPart::Kind::kDriver, i,
                             told.role.empty() ? "driver" : told.role.c_str());
    part.role = told.role;
    s.parts.push_back(std::move(part));
  }
  for (std::size_t i = 0; i < d.ports.size(); ++i) {
    DrawnPart part = part_of(d.ports[i], DrawnPart::Kind::kPort, i, "port");
    part.height_mm = d.ports[i].slot_height_mm.value_or(0.0);
    part.length_mm = d.ports[i].length_mm.value_or(0.0);
    s.parts.push_back(std::move(part));
  }
  for (std::size_t i = 0; i < d.passive_radiators.size(); ++i)
    s.parts.push_back(part_of(d.passive_radiators[i], DrawnPart::Kind::kRadiator, i, "radiator"));
  find_problems(s);
  return s;
}

Description with_part_figure(Description d, const DrawnPart& part, PartFigure figure,
                             double value_mm) {
  change_part(d, part, [&](auto& told) {
    if (figure == PartFigure::kDiameter) {
      told.diameter_mm = value_mm;
      // Two members for one size must not contradict each other.
      if constexpr (requires { told.sd_cm2; }) told.sd_cm2.reset();
    }
    if constexpr (requires { told.length_mm; }) {
      if (figure == PartFigure::kLength) told.length_mm = value_mm;
    }
  });
  return d;
}

Description with_part_at(Description d, const DrawnPart& part, double x_mm, double y_mm) {
  change_part(d, part, [&](auto& told) {
    told.x_mm = tidy(x_mm);
    told.y_mm = tidy(y_mm);
  });
  return d;
}

Description with_edge_moved(Description d, DrawingGrip::Kind edge, double by_mm) {
  const DrawnSubject s = drawn_subject(d);
  if (!s.has_baffle) return d;
  DescribedBaffle& baffle = *d.baffle;
  const auto grow = [&](std::optional<double> DescribedBaffle::*side,
                        std::optional<double> DescribedBox::*inner, double size) {
    const double grown = std::max(tidy(size + by_mm), kSmallest_mm);
    baffle.*side = grown;
    resize_inside(d, inner, grown - size);
    return grown - size;
  };
  const auto wider = [&] {
    return grow(&DescribedBaffle::width_mm, &DescribedBox::inner_width_mm, s.width_mm);
  };
  const auto taller = [&] {
    return grow(&DescribedBaffle::height_mm, &DescribedBox::inner_height_mm, s.height_mm);
  };
  // Told or not, the origin stays where it is in the room.
  baffle.left_mm = s.left_mm;
  baffle.top_mm = s.top_mm;
  switch (edge) {
    case DrawingGrip::Kind::kLeft:
      baffle.left_mm = tidy(s.left_mm + wider());
      break;
    case DrawingGrip::Kind::kRight:
      wider();
      break;
    case DrawingGrip::Kind::kTop:
      baffle.top_mm = tidy(s.top_mm + taller());
      break;
    case DrawingGrip::Kind::kBottom:
      taller();
      break;
    case DrawingGrip::Kind::kBack:
      grow(&DescribedBaffle::depth_mm, &DescribedBox::inner_depth_mm, s.depth_mm);
      break;
    case DrawingGrip::Kind::kPart:
    case DrawingGrip::Kind::kPortEnd:
      break;
  }
  return d;
}

Description with_figure(Description d, BoxFigure figure, double value) {
  const DrawnSubject s = drawn_subject(d);
  switch (figure) {
    case BoxFigure::kWidth:
      return with_edge_moved(std::move(d), DrawingGrip::Kind::kRight, value - s.width_mm);
    case BoxFigure::kHeight:
      return with_edge_moved(std::move(d), DrawingGrip::Kind::kBottom, value - s.height_mm);
    case BoxFigure::kDepth:
      return with_edge_moved(std::move(d), DrawingGrip::Kind::kBack, value - s.depth_mm);
    case BoxFigure::kNetVolume:
      if (!d.box) d.box.emplace();
      d.box->net_volume_l = value;
      return d;
    case BoxFigure::kEdgeRadius:
    case BoxFigure::kEdgeChamfer:
      break;
  }
  if (!d.baffle) d.baffle.emplace();
  const bool round = figure == BoxFigure::kEdgeRadius;
  (round ? d.baffle->edge_radius_mm : d.baffle->edge_chamfer_mm) = value;
  (round ? d.baffle->edge_chamfer_mm : d.baffle->edge_radius_mm).reset();
  return d;
}

Description with_first_box(Description d) {
  DescribedBaffle baffle;
  baffle.width_mm = 200.0;
  baffle.height_mm = 320.0;
  baffle.depth_mm = 240.0;
  baffle.left_mm = 100.0;
  baffle.top_mm = 160.0;
  baffle.edge_radius_mm = 0.0;
  d.baffle = std::move(baffle);
  if (d.drivers.empty()) {
    DescribedDriver& driver = d.drivers.emplace_back();
    driver.id = driver.role = "woofer";
    driver.diameter_mm = 130.0;
    driver.x_mm = driver.y_mm = 0.0;
  }
  if (!d.box) {
    d.box.emplace();
    d.box->inner_width_mm = 164.0;
    d.box->inner_height_mm = 284.0;
    d.box->inner_depth_mm = 204.0;
    d.box->net_volume_l = 8.5;
  }
  return d;
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

std::vector<KeyFigure> drawing_figures(const Description& description,
                                       std::optional<std::size_t> part) {
  const DrawnSubject s = drawn_subject(description);
  const SubjectGeometry g = or_empty(description);
  std::vector<KeyFigure> figures;
  const double c = kSpeedOfSound20_m_s;
  if (part && *part < s.parts.size()) add_part_figures(figures, s, g, s.parts[*part]);
  const double inside_l = s.inner_width_mm * s.inner_height_mm * s.inner_depth_mm / 1e6;
  if (inside_l > 0.0) {
    figures.push_back({"inside", three_digits(inside_l) + " l",
                       fmt::format("{} × {} × {} mm", shortest(s.inner_width_mm),
                                   shortest(s.inner_height_mm), shortest(s.inner_depth_mm))});
  }
  const std::vector<PortGeometry> ports = g.pipes();
  if (g.net_volume_m3 && !ports.empty()) {
    figures.push_back({"tuning", frequency_text(helmholtz_hz(*g.acoustic_volume_m3(), ports, c)),
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

bool needs_solving(const Description& description) {
  const auto geometry = geometry_of(description, "");
  return geometry && geometry->baffle && is_shallow(*geometry->baffle);
}

LaneContent edge_lane(const Description& description, std::size_t part, EdgeEffort effort) {
  LaneContent content;
  content.title = "Edges, modelled";
  content.left = {.quantity = AxisQuantity::kLevel,
                  .scale = AxisScale::kDecibel,
                  .unit = "dB",
                  .low = -8.0,
                  .high = 6.0};
  const DrawnSubject s = drawn_subject(description);
  const auto geometry = geometry_of(description, "");
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
  // While a hand moves a part a first-order curve at a sixteenth of an octave follows within a
  // frame.
  const bool coarse = effort == EdgeEffort::kMoving;
  const FrequencyAxis axis =
      FrequencyAxis::logarithmic(50.0, coarse ? 16000.0 : 20000.0, coarse ? 16.0 : 48.0);
  const BafflePoint at = point_at(geometry->origin_x_m, geometry->origin_y_m, 1.0, 0.0, 0.0);
  const auto box =
      effort == EdgeEffort::kSolved
          ? box_response(*geometry->baffle, *piston, at, axis, kSpeedOfSound20_m_s,
                         DiffractionEffort::kFine)
          : baffle_response(*geometry->baffle, *piston, at, axis, kSpeedOfSound20_m_s,
                            coarse ? DiffractionEffort::kCoarse : DiffractionEffort::kFine);
  const auto wall = infinite_baffle_response(*piston, at, axis, kSpeedOfSound20_m_s);
  Series curve;
  curve.label = driver.id;
  curve.x.assign(axis.hz().begin(), axis.hz().end());
  for (std::size_t i = 0; i < axis.size(); ++i)
    curve.y.push_back(20.0 * std::log10(std::abs(box[i]) / std::abs(wall[i])));
  content.subtitle = fmt::format("{} at 1 m on the 0° axis, dB re an infinite baffle", driver.id);
  if (effort != EdgeEffort::kSolved && is_shallow(*geometry->baffle))
    content.subtitle += "; a shallow box's bass follows when it is solved";
  content.add_curves().push_back(std::move(curve));
  return content;
}

}  // namespace lalometer
