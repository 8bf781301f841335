#include "book/description/subject_geometry.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "book/description/driver_parameters.h"

namespace lalometer {
namespace {

SubjectDriver driver_of(const DescribedDriver& told) {
  SubjectDriver driver;
  driver.id = told.id;
  driver.role = told.role;
  driver.x_m = told.x_mm.value_or(0.0) / 1e3;
  driver.y_m = told.y_mm.value_or(0.0) / 1e3;
  driver.z_m = told.z_mm.value_or(0.0) / 1e3;
  if (const double radius = effective_radius_m(told); radius > 0.0) driver.radius_m = radius;
  driver.resonance_hz = told.figures.fs_hz ? told.figures.fs_hz : told.sheet.fs_hz;
  driver.breakup_hz = told.breakup_hz;
  if (told.xmax_mm.value_or(0.0) > 0.0) driver.xmax_m = *told.xmax_mm / 1e3;
  const auto re_ohm = told.figures.re_ohm ? told.figures.re_ohm : told.sheet.re_ohm;
  if (told.power_w.value_or(0.0) > 0.0 && re_ohm.value_or(0.0) > 0.0)
    driver.rated_v = std::sqrt(*told.power_w * 1.25 * *re_ohm);
  return driver;
}

Result<SubjectPort> port_of(const DescribedPort& told, const std::string& where) {
  SubjectPort port;
  port.id = told.id;
  port.panel = told.panel;
  port.x_m = told.x_mm.value_or(0.0) / 1e3;
  port.y_m = told.y_mm.value_or(0.0) / 1e3;
  const double slot = told.slot_height_mm.value_or(0.0);
  const double count = told.count.value_or(1.0);
  if (!(told.diameter_mm.value_or(1.0) > 0.0) || !(told.length_mm.value_or(1.0) > 0.0) ||
      slot < 0.0 || count < 1.0) {
    return bad_input(
        fmt::format("Port \"{}\" needs diameter_mm, length_mm and count above 0.", port.id), where);
  }
  port.count = static_cast<int>(count);
  if (!told.diameter_mm) return port;
  const PortGeometry geometry{.diameter_m = *told.diameter_mm / 1e3,
                              .length_m = told.length_mm.value_or(0.0) / 1e3,
                              .count = port.count,
                              .slot_height_m = slot / 1e3,
                              .flare_radius_m = told.flare_radius_mm.value_or(0.0) / 1e3};
  port.radius_m = geometry.equivalent_radius_m();
  if (told.length_mm) port.geometry = geometry;
  return port;
}

Result<void> read_baffle(SubjectGeometry& g, const DescribedBaffle& told,
                         const std::string& where) {
  const auto& width = told.width_mm;
  const auto& height = told.height_mm;
  if (!width || !height) return {};
  const double round = told.edge_radius_mm.value_or(0.0);
  const double chamfer = told.edge_chamfer_mm.value_or(0.0);
  // A depth that is not specified hardly matters in front: that of the width is taken.
  auto baffle = Baffle::make({.width_m = *width / 1e3,
                              .height_m = *height / 1e3,
                              .depth_m = told.depth_mm.value_or(*width) / 1e3,
                              .edge = round > 0.0     ? EdgeShape::kRound
                                      : chamfer > 0.0 ? EdgeShape::kChamfered
                                                      : EdgeShape::kSquare,
                              .edge_size_m = std::max(round, chamfer) / 1e3});
  if (!baffle) return fail(baffle.error().code, baffle.error().message, where + ": baffle");
  g.baffle = *baffle;
  g.origin_x_m = told.left_mm.value_or(0.5 * *width) / 1e3;
  g.origin_y_m = (*height - told.top_mm.value_or(0.5 * *height)) / 1e3;
  return {};
}

Result<void> read_box(SubjectGeometry& g, const DescribedBox& told, const std::string& where) {
  if (const auto& net = told.net_volume_l) {
    if (!(*net > 0.0)) return bad_input("net_volume_l must be above 0.", where + ": box");
    g.net_volume_m3 = *net / 1e3;
  }
  const auto& w = told.inner_width_mm;
  const auto& h = told.inner_height_mm;
  const auto& d = told.inner_depth_mm;
  if (w && h && d) {
    if (!(*w > 0.0 && *h > 0.0 && *d > 0.0))
      return bad_input("The inner dimensions must be above 0.", where + ": box");
    g.inner = InnerBox{*w / 1e3, *h / 1e3, *d / 1e3};
  }
  g.damping = told.damping == "lined"    ? BoxDamping::kLined
              : told.damping == "filled" ? BoxDamping::kFilled
                                         : BoxDamping::kNone;
  return {};
}

}  // namespace

std::optional<double> SubjectGeometry::acoustic_volume_m3() const {
  if (!net_volume_m3) return std::nullopt;
  return *net_volume_m3 * filling_factor(damping);
}

std::vector<PortGeometry> SubjectGeometry::pipes() const {
  std::vector<PortGeometry> all;
  for (const SubjectPort& p : ports) {
    if (!p.geometry) return {};
    all.push_back(*p.geometry);
  }
  return all;
}

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

Result<std::optional<Waveguide>> waveguide_of(const DescribedDriver& told,
                                              const std::string& where) {
  // An empty object tells of none.
  if (!told.waveguide || *told.waveguide == DescribedWaveguide{}) return std::nullopt;
  const DescribedWaveguide& guide = *told.waveguide;
  const Waveguide made{guide.throat_mm.value_or(25.0) / 2e3, guide.mouth_mm.value_or(150.0) / 2e3,
                       guide.half_angle_deg.value_or(45.0) * kPi / 180.0};
  if (!(made.throat_radius_m > 0.0) || !(made.mouth_radius_m > made.throat_radius_m) ||
      !(made.half_angle_rad > 0.05) || !(made.half_angle_rad < 1.4))
    return bad_input(
        "A waveguide needs mouth_mm above throat_mm above 0 and half_angle_deg "
        "between 3 and 80.",
        where);
  return made;
}

Result<SubjectGeometry> geometry_of(const Description& told, const std::string& where) {
  SubjectGeometry g;
  g.loading = told.loading;
  for (const DescribedDriver& d : told.drivers) {
    g.drivers.push_back(driver_of(d));
    auto guide = waveguide_of(d, where + ": drivers");
    if (!guide) return tl::unexpected(guide.error());
    g.drivers.back().waveguide = *guide;
  }
  if (told.baffle) {
    if (auto read = read_baffle(g, *told.baffle, where); !read) return tl::unexpected(read.error());
  }
  if (told.box) {
    if (auto read = read_box(g, *told.box, where); !read) return tl::unexpected(read.error());
  }
  for (const DescribedPort& one : told.ports) {
    auto port = port_of(one, where + ": ports");
    if (!port) return tl::unexpected(port.error());
    g.ports.push_back(*port);
  }
  for (const DescribedRadiator& one : told.passive_radiators) {
    DescribedDriver as_cone;
    as_cone.diameter_mm = one.diameter_mm;
    as_cone.sd_cm2 = one.sd_cm2;
    g.radiators.push_back({one.id, one.panel, one.x_mm.value_or(0.0) / 1e3,
                           one.y_mm.value_or(0.0) / 1e3, effective_radius_m(as_cone)});
  }
  if (told.wings) {
    g.left_wing_m = std::max(told.wings->left_mm.value_or(0.0), 0.0) / 1e3;
    g.right_wing_m = std::max(told.wings->right_mm.value_or(0.0), 0.0) / 1e3;
  }
  for (const DescribedCrossover& x : told.crossovers) {
    if (!(x.frequency_hz.value_or(0.0) > 0.0)) continue;
    g.crossovers.push_back(
        {x.low, x.high, *x.frequency_hz, static_cast<int>(x.order.value_or(0.0))});
  }
  return g;
}

}  // namespace lalometer
