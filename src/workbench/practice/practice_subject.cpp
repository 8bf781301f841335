#include "workbench/practice/practice_subject.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "acoustics/enclosure/enclosure_model.h"
#include "acoustics/network/textbook_ladder.h"
#include "base/constants.h"
#include "base/text.h"
#include "book/description/driver_parameters.h"
#include "book/description/subject_geometry.h"

namespace lalometer {
namespace {

Result<Panel> panel_of(const std::string& told, const std::string& where) {
  const std::string word = told.empty() ? "front" : told;
  for (const auto& [name, panel] : {std::pair{"front", Panel::kFront},
                                    {"back", Panel::kBack},
                                    {"left", Panel::kLeft},
                                    {"right", Panel::kRight},
                                    {"top", Panel::kTop},
                                    {"bottom", Panel::kBottom}}) {
    if (word == name) return panel;
  }
  return bad_input(fmt::format("There is no panel \"{}\".", word), where);
}

/// @param top  whether it stands in the ladder itself, where its place counts.
Result<LadderPart> part_of(const DescribedLadderPart& told, bool top, const std::string& where) {
  if (top && told.place != "series" && told.place != "shunt")
    return bad_input("A part of a ladder is \"place\": \"series\" or \"shunt\".", where);
  LadderPart part{
      .place = told.place == "shunt" ? LadderPart::Place::kShunt : LadderPart::Place::kSeries,
      .resistance_ohm = told.ohm.value_or(0.0),
      .inductance_h = told.mh.value_or(0.0) / 1e3,
      .capacitance_f = told.uf.value_or(0.0) / 1e6};
  if (part.resistance_ohm < 0.0 || part.inductance_h < 0.0 || part.capacitance_f < 0.0)
    return bad_input("Parts of a ladder are not below 0.", where);
  if (!told.parallel.empty() && !told.series.empty())
    return bad_input("A part of a ladder holds \"parallel\" or \"series\" parts, not both.", where);
  if (!told.parallel.empty()) part.join = LadderPart::Join::kParallel;
  for (const DescribedLadderPart& inner : told.parallel.empty() ? told.series : told.parallel) {
    auto made = part_of(inner, false, where);
    if (!made) return made;
    part.parts.push_back(std::move(*made));
  }
  return part;
}

Result<Ladder> ladder_of(const DescribedDriver& driver, const std::string& where) {
  Ladder ladder;
  for (const DescribedLadderPart& told : driver.ladder) {
    auto part = part_of(told, true, where);
    if (!part) return tl::unexpected(part.error());
    ladder.push_back(std::move(*part));
  }
  return ladder;
}

Result<PracticeWay> way_of(const DescribedDriver& told, const std::string& where) {
  PracticeWay way;
  way.id = told.id.empty() ? told.role : told.id;
  const std::string here = fmt::format("{}: driver \"{}\"", where, way.id);
  const auto parameters = parameters_of(told, where);
  if (!parameters) return tl::unexpected(parameters.error());
  way.driver = parameters->elements;
  way.x_m = told.x_mm.value_or(0.0) / 1e3;
  way.y_m = told.y_mm.value_or(0.0) / 1e3;
  way.z_m = told.z_mm.value_or(0.0) / 1e3;
  way.inverted = told.inverted;
  way.delay_s = told.delay_ms.value_or(0.0) / 1e3;
  way.breakup_hz = told.breakup_hz.value_or(0.0);
  auto ladder = ladder_of(told, here);
  if (!ladder) return tl::unexpected(ladder.error());
  way.ladder = std::move(*ladder);
  auto guide = waveguide_of(told, here);
  if (!guide) return tl::unexpected(guide.error());
  way.guide = *guide;
  const bool high = is_high_driver(role_or_woofer(told));
  const double travel = parameters->xmax_m;
  way.motor = MotorCurves{.bl_travel_m = travel,
                          .kms_travel_m = 1.1 * travel,
                          .bl_centre_m = 0.08 * travel,
                          .kms_rest_m = -0.06 * travel,
                          .le_share = high ? 0.0 : 0.15,
                          .coil_k_per_w = high ? 12.0 : 4.0,
                          .coil_j_per_k = high ? 0.8 : 7.0,
                          .port_loss_factor = 1.0};
  return way;
}

/// Ladders from frequencies and orders, for drivers that tell none of their own.
void add_crossovers(PracticeSpeaker& s, const SubjectGeometry& g) {
  // The quieter driver sets the level; the louder ones get a pad.
  double quietest = 1e300;
  std::set<std::string> crossed;
  for (const SubjectCrossover& x : g.crossovers) {
    crossed.insert(x.low);
    crossed.insert(x.high);
  }
  const auto loudness = [](const PracticeWay& w) {
    return w.driver.bl_tm * w.driver.sd_m2 / (w.driver.re_ohm * w.driver.mms_kg);
  };
  for (const PracticeWay& w : s.ways)
    if (crossed.contains(w.id)) quietest = std::min(quietest, loudness(w));
  std::set<std::string> own;
  for (const PracticeWay& w : s.ways)
    if (!w.ladder.empty()) own.insert(w.id);
  for (PracticeWay& way : s.ways) {
    if (!crossed.contains(way.id) || own.contains(way.id)) continue;
    const double load = way.driver.re_ohm;
    for (const SubjectCrossover& x : g.crossovers) {
      const int order = std::clamp(x.order > 0 ? x.order : 2, 1, 4);
      const auto add = [&](LadderPass pass) {
        const Ladder part = butterworth_ladder(pass, order, x.frequency_hz, load);
        way.ladder.insert(way.ladder.begin(), part.begin(), part.end());
      };
      if (x.low == way.id) add(LadderPass::kLow);
      if (x.high == way.id) {
        add(LadderPass::kHigh);
        // Second-order halves stand half a turn apart at the crossover.
        if (order == 2) way.inverted = !way.inverted;
      }
    }
    // A pad before a woofer would take its damping; the others are brought to it.
    const bool lowest = std::none_of(g.crossovers.begin(), g.crossovers.end(),
                                     [&](const SubjectCrossover& x) { return x.high == way.id; });
    if (!lowest) {
      const Ladder pad = attenuator_pad(quietest / loudness(way), load);
      way.ladder.insert(way.ladder.end(), pad.begin(), pad.end());
    }
    if (way.driver.le_h + way.driver.le2_h > 0.0)
      way.ladder.push_back(impedance_compensation(load, way.driver.le_h + way.driver.le2_h));
  }
}

/// Where a source of the front or back lies inside the box; walls are alike all round.
BoxPlace inside(const SubjectGeometry& g, double x, double y, double z, double half) {
  if (!g.baffle) return {0.5 * g.inner->width_m + x, 0.5 * g.inner->height_m + y, z, half};
  const double wall_x = 0.5 * (g.baffle->width_m() - g.inner->width_m);
  const double wall_y = 0.5 * (g.baffle->height_m() - g.inner->height_m);
  return {g.origin_x_m + x - wall_x, g.origin_y_m + y - wall_y, z, half};
}

Result<void> add_port(PracticeSpeaker& s, BoxLoad& load, const SubjectGeometry& g,
                      const std::string& where) {
  const SubjectPort& port = g.ports.front();
  const std::string here = fmt::format("{}: port \"{}\"", where, port.id);
  const auto panel = panel_of(port.panel, here);
  if (!panel) return tl::unexpected(panel.error());
  const std::vector<PortGeometry> ports = g.pipes();
  if (ports.empty()) return bad_input("Every port needs diameter_mm and length_mm above 0.", here);
  if (g.inner) {
    const double along = *panel == Panel::kFront || *panel == Panel::kBack   ? g.inner->depth_m
                         : *panel == Panel::kLeft || *panel == Panel::kRight ? g.inner->width_m
                                                                             : g.inner->height_m;
    if (port.geometry->length_m >= along) {
      return bad_input(
          fmt::format("The port of {} mm is longer than the box is inside ({} mm).",
                      three_digits(port.geometry->length_m * 1e3), three_digits(along * 1e3)),
          here);
    }
  }
  const BoxLoad vented = vented_load(load.volume_m3, ports, load.ql, load.qa, load.qp);
  load.kind = vented.kind;
  load.tuning_hz = vented.tuning_hz;
  load.pipe = vented.pipe;
  load.more_pipes = vented.more_pipes;
  s.port = {*panel, port.x_m, port.y_m};
  for (const PortGeometry& p : ports) s.port_area_m2 += p.area_m2();
  return {};
}

Result<void> add_radiator(PracticeSpeaker& s, BoxLoad& load, const DescribedRadiator& told,
                          const std::string& where) {
  const std::string here =
      fmt::format("{}: passive radiator \"{}\"", where, told.id.empty() ? "1" : told.id);
  const double by_diameter = kPi * std::pow(0.4e-3 * told.diameter_mm.value_or(0.0), 2);
  const double sd = told.sd_cm2 ? *told.sd_cm2 / 1e4 : by_diameter;
  const double mass = told.moving_mass_g.value_or(0.0) / 1e3;
  if (!(sd > 0.0) || !(mass > 0.0))
    return bad_input("It needs sd_cm2 (or diameter_mm) and moving_mass_g above 0.", here);
  const auto panel = panel_of(told.panel, here);
  if (!panel) return tl::unexpected(panel.error());
  const double w = 2.0 * kPi * told.fs_hz.value_or(18.0);
  load.kind = BoxLoad::Kind::kPassiveRadiator;
  load.radiator =
      PassiveRadiator{sd, mass, 1.0 / (w * w * mass), w * mass / told.qms.value_or(8.0)};
  load.tuning_hz = radiator_tuning_hz(load.volume_m3, *load.radiator);
  s.port = {*panel, told.x_mm.value_or(0.0) / 1e3, told.y_mm.value_or(0.0) / 1e3};
  s.port_area_m2 = sd;
  return {};
}

Result<BoxLoad> box_of(PracticeSpeaker& s, const SubjectGeometry& g, const Description& subject,
                       const std::string& where) {
  BoxLoad load;
  const DescribedBox box = subject.box.value_or(DescribedBox{});
  const double inner_m3 = g.inner ? g.inner->width_m * g.inner->height_m * g.inner->depth_m : 0.0;
  // Braces, drivers and crossover take about a tenth (common practice, no source).
  load.volume_m3 = g.net_volume_m3.value_or(inner_m3 > 0.0 ? 0.9 * inner_m3 : 0.014);
  if (inner_m3 > 0.0 && load.volume_m3 > 1.001 * inner_m3) {
    return bad_input(fmt::format("A net volume of {} l does not fit into {} l inside.",
                                 three_digits(load.volume_m3 * 1e3), three_digits(inner_m3 * 1e3)),
                     where + ": box");
  }
  load.ql = box.ql.value_or(9.0);
  const bool damped = g.damping != BoxDamping::kNone;
  load.qa = box.qa.value_or(g.damping == BoxDamping::kFilled ? 5.0 : damped ? 12.0 : 60.0);
  load.qp = box.qp.value_or(60.0);
  load.kind = BoxLoad::Kind::kSealed;
  load.volume_m3 *= filling_factor(g.damping);
  if (g.loading == "passive-radiator") {
    if (subject.passive_radiators.empty())
      return bad_input("A passive-radiator box needs passive_radiators.", where);
    if (auto added = add_radiator(s, load, subject.passive_radiators[0], where); !added)
      return tl::unexpected(added.error());
  } else if (g.loading != "sealed" && !g.ports.empty()) {
    if (auto added = add_port(s, load, g, where); !added) return tl::unexpected(added.error());
  } else if (g.loading == "vented" || g.loading.empty()) {
    load.kind = BoxLoad::Kind::kVented;
    load.tuning_hz = box.tuning_hz.value_or(45.0);
    if (!(load.tuning_hz > 0.0)) return bad_input("tuning_hz must be above 0.", where + ": box");
    s.port = {Panel::kBack, 0.0, 0.0};
    s.port_area_m2 = kPi * 0.025 * 0.025;
  }
  return load;
}

/// Standing waves as seen from one driver of the box.
void add_waves(PracticeWay& way, const PracticeSpeaker& s, const SubjectGeometry& g,
               const std::shared_ptr<const BoxField>& field) {
  const std::vector<PortGeometry> pipes = g.pipes();
  const double length = pipes.empty() ? 0.0 : pipes.front().length_m;
  const double port_depth = s.port.panel == Panel::kFront ? length : g.inner->depth_m - length;
  const bool on_end = s.port.panel == Panel::kFront || s.port.panel == Panel::kBack;
  const double radius = std::sqrt(way.driver.sd_m2 / kPi);
  BoxPlace port = inside(g, s.port.x_m, s.port.y_m, std::clamp(port_depth, 0.0, g.inner->depth_m),
                         0.87 * std::sqrt(s.port_area_m2 / kPi));
  if (!on_end) {
    const double middle = 0.5 * g.inner->depth_m;
    port.z_m = std::clamp(middle - s.port.x_m, 0.0, g.inner->depth_m);
    if (s.port.panel == Panel::kLeft) port.x_m = 0.0;
    if (s.port.panel == Panel::kRight) port.x_m = g.inner->width_m;
    if (s.port.panel == Panel::kTop) port.y_m = g.inner->height_m;
    if (s.port.panel == Panel::kBottom) port.y_m = 0.0;
  }
  way.box.waves =
      BoxWaves{field,
               // A disc averages a mode about as a line of 0.87 of its radius does.
               inside(g, way.x_m, way.y_m, 0.0, 0.87 * radius),
               port,
               {0.0, 0.5 * g.inner->height_m, 0.5 * g.inner->depth_m, 0.25 * g.inner->height_m}};
}

Result<void> add_loading(PracticeSpeaker& s, const SubjectGeometry& g, const Description& subject,
                         const std::string& where) {
  std::vector<PracticeWay*> boxed;
  for (std::size_t i = 0; i < s.ways.size(); ++i) {
    const std::string role = role_or_woofer(subject.drivers[i]);
    // Tweeters and midranges bring their own chamber.
    if (!is_high_driver(role) && (role != "midrange" || s.ways.size() == 1))
      boxed.push_back(&s.ways[i]);
  }
  if (g.loading == "free-air" || g.loading == "large-baffle" || g.loading == "horn") {
    if (g.loading != "free-air") s.baffle.reset();
    if (g.loading == "horn") {
      const bool guided = std::any_of(s.ways.begin(), s.ways.end(),
                                      [](const PracticeWay& w) { return w.guide.has_value(); });
      if (!guided) {
        return bad_input(
            "A horn needs a driver with \"waveguide\" (throat_mm, mouth_mm, "
            "half_angle_deg).",
            where);
      }
      s.baffle = g.baffle;
    }
    return {};
  }
  if (g.loading == "open-baffle") {
    if (!g.baffle)
      return bad_input("An open baffle needs width_mm and height_mm.", where + ": baffle");
    const DescribedWings wings = subject.wings.value_or(DescribedWings{});
    const double left = wings.left_mm.value_or(0.0) / 1e3;
    const double right = wings.right_mm.value_or(0.0) / 1e3;
    // As deep as its wings, at least as its board is thick.
    const auto panel =
        Baffle::make({g.baffle->width_m(), g.baffle->height_m(), std::max({0.018, left, right}),
                      g.baffle->edge(), g.baffle->edge_size_m()});
    if (!panel) return tl::unexpected(panel.error());
    s.baffle = *panel;
    s.open_back = true;
    for (PracticeWay* way : boxed) {
      const OpenBaffle open{.width_m = g.baffle->width_m(),
                            .height_m = g.baffle->height_m(),
                            .driver_x_m = g.origin_x_m + way->x_m,
                            .driver_y_m = g.origin_y_m + way->y_m,
                            .left_wing_m = left,
                            .right_wing_m = right};
      if (const auto checked = check(open); !checked) return tl::unexpected(checked.error());
      way->box = open_back_load(open);
      way->panel = open;
    }
    return {};
  }
  auto load = box_of(s, g, subject, where);
  if (!load) return tl::unexpected(load.error());
  std::shared_ptr<const BoxField> field;
  if (g.inner) field = std::make_shared<BoxField>(*g.inner, g.damping, 3000.0, kSpeedOfSound20_m_s);
  // Alike drivers share the box by halves: each has its part of the air and of the port.
  const double share = 1.0 / static_cast<double>(std::max<std::size_t>(boxed.size(), 1));
  for (PracticeWay* way : boxed) {
    way->box = *load;
    way->box.volume_m3 *= share;
    if (way->box.pipe) way->box.pipe->area_m2 *= share;
    for (PortPipe& pipe : way->box.more_pipes) pipe.area_m2 *= share;
    if (way->box.radiator) {
      way->box.radiator->sd_m2 *= share;
      way->box.radiator->mms_kg *= share;
      way->box.radiator->rms_kg_per_s *= share;
      way->box.radiator->cms_m_per_n /= share;
    }
    if (way->box.kind == BoxLoad::Kind::kSealed && way->box.tuning_hz <= 0.0)
      way->box.tuning_hz =
          way->driver.fs_hz() * std::sqrt(1.0 + way->driver.vas_m3() / way->box.volume_m3);
    if (field) {
      add_waves(*way, s, g, field);
      way->box.waves->cones = 1.0 / share;
    }
  }
  return {};
}

constexpr const char* kLoadings[] = {"free-air",         "large-baffle", "sealed", "vented",
                                     "passive-radiator", "open-baffle",  "horn"};

}  // namespace

Result<PracticeSpeaker> practice_speaker_of(const Description& subject, const std::string& where) {
  const auto geometry = geometry_of(subject, where);
  if (!geometry) return tl::unexpected(geometry.error());
  const SubjectGeometry& g = *geometry;
  const std::string loading = g.loading.empty() ? "vented" : g.loading;
  if (std::find(std::begin(kLoadings), std::end(kLoadings), loading) == std::end(kLoadings))
    return bad_input(fmt::format("There is no loading \"{}\".", loading), where);
  PracticeSpeaker s;
  Description described = subject;
  // Without drivers it is the kiosk's pair.
  if (described.drivers.empty()) {
    for (const auto& [role, up_mm] : {std::pair{"woofer", -95.0}, {"tweeter", 60.0}}) {
      DescribedDriver& driver = described.drivers.emplace_back();
      driver.id = driver.role = role;
      driver.y_mm = up_mm;
    }
    if (loading == "horn") return bad_input("A horn needs its driver described.", where);
  }
  std::set<std::string> ids;
  for (const DescribedDriver& told : described.drivers) {
    auto way = way_of(told, where);
    if (!way) return tl::unexpected(way.error());
    if (!ids.insert(way->id).second)
      return bad_input(fmt::format("Two drivers are called \"{}\".", way->id), where);
    s.ways.push_back(std::move(*way));
  }
  // Without a told baffle the practice loudspeaker stands in a large wall.
  s.baffle = g.baffle;
  s.origin_x_m = g.origin_x_m;
  s.origin_y_m = g.origin_y_m;
  if (s.baffle) {
    for (const PracticeWay& way : s.ways) {
      const double radius =
          way.guide ? way.guide->mouth_radius_m : std::sqrt(way.driver.sd_m2 / kPi);
      const auto piston =
          BafflePiston::make(*s.baffle, s.origin_x_m + way.x_m, s.origin_y_m + way.y_m, radius);
      if (!piston)
        return fail(piston.error().code, piston.error().message,
                    fmt::format("{}: driver \"{}\"", where, way.id));
    }
  }
  SubjectGeometry with_loading = g;
  with_loading.loading = loading;
  if (auto loaded = add_loading(s, with_loading, described, where); !loaded)
    return tl::unexpected(loaded.error());
  const bool plain = g.crossovers.empty() && s.ways.size() == 2 && s.way("woofer") &&
                     s.way("tweeter") && s.ways[0].ladder.empty() && s.ways[1].ladder.empty();
  if (plain) {
    const PracticeSpeaker kiosk = kiosk_two_way(false);
    for (const PracticeWay& way : kiosk.ways) {
      s.way(way.id)->ladder = way.ladder;
      s.way(way.id)->inverted = way.inverted;
    }
  } else {
    add_crossovers(s, g);
  }
  return s;
}

}  // namespace lalometer
