#include "workbench/practice/practice_subject.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <set>

#include "acoustics/enclosure/enclosure_model.h"
#include "acoustics/network/textbook_ladder.h"
#include "base/constants.h"
#include "base/json_text.h"
#include "base/text.h"
#include "exchange/json_read.h"
#include "exchange/set/subject_geometry.h"

namespace lalometer {
namespace {

using Json = nlohmann::json;

Result<Panel> panel_of(const Json& json, const char* fallback, const std::string& where) {
  const std::string word = json_text(json, "panel", fallback);
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

constexpr const char* kRoles[] = {"woofer",  "subwoofer", "midrange",
                                  "tweeter", "fullrange", "compression-driver"};

bool is_high(const std::string& role) {
  return role == "tweeter" || role == "compression-driver";
}

double usual_area_m2(const std::string& role) {
  if (role == "tweeter") return 7.5e-4;
  if (role == "compression-driver") return 15e-4;
  if (role == "midrange") return 55e-4;
  if (role == "subwoofer") return 330e-4;
  return 132e-4;
}

Result<Ladder> ladder_of(const Json& json, const std::string& where) {
  Ladder ladder;
  for (const Json& part : json) {
    const std::string place = part.is_object() ? json_text(part, "place") : std::string();
    if (place != "series" && place != "shunt")
      return bad_input("A part of a ladder is \"place\": \"series\" or \"shunt\".", where);
    ladder.push_back(
        {.place = place == "series" ? LadderPart::Place::kSeries : LadderPart::Place::kShunt,
         .resistance_ohm = json_number(part, "ohm", 0.0),
         .inductance_h = json_number(part, "mh", 0.0) / 1e3,
         .capacitance_f = json_number(part, "uf", 0.0) / 1e6});
    const LadderPart& made = ladder.back();
    if (made.resistance_ohm < 0.0 || made.inductance_h < 0.0 || made.capacitance_f < 0.0)
      return bad_input("Parts of a ladder are not below 0.", where);
  }
  return ladder;
}

Result<PracticeWay> way_of(const Json& json, const std::string& where) {
  PracticeWay way;
  way.id = json_text(json, "id", json_text(json, "role"));
  const std::string here = fmt::format("{}: driver \"{}\"", where, way.id);
  const std::string role = json_text(json, "role", "woofer");
  if (std::find(std::begin(kRoles), std::end(kRoles), role) == std::end(kRoles))
    return bad_input(fmt::format("\"{}\" is no role of a driver.", role), here);
  const double diameter = json_number(json, "diameter_mm", 0.0) / 1e3;
  // The cone of a driver is some four fifths of its nominal diameter (common practice).
  const double by_diameter =
      diameter > 0.0 ? kPi * std::pow(0.4 * diameter, 2) : usual_area_m2(role);
  const double sd = json_number(json, "sd_cm2", by_diameter * 1e4) / 1e4;
  if (!(sd > 0.0)) return bad_input("sd_cm2 must be above 0.", here);
  QuotedParameters q = usual_parameters(role, sd);
  for (const auto& [key, target, scale] : {std::tuple{"fs_hz", &q.fs_hz, 1.0},
                                           {"qms", &q.qms, 1.0},
                                           {"qes", &q.qes, 1.0},
                                           {"vas_l", &q.vas_m3, 1e-3},
                                           {"re_ohm", &q.re_ohm, 1.0},
                                           {"le_mh", &q.le_h, 1e-3}}) {
    *target = json_number(json, key, *target / scale) * scale;
    if (!(*target >= 0.0) || (*target == 0.0 && std::string(key) != "le_mh"))
      return bad_input(fmt::format("{} must be above 0.", key), here);
  }
  way.driver = elements_of(q);
  if (!is_high(role) && !json.contains("le_mh")) {
    way.driver.le2_h = 2.4 * q.le_h;
    way.driver.re2_ohm = 0.46 * q.re_ohm;
  }
  way.x_m = json_number(json, "x_mm", 0.0) / 1e3;
  way.y_m = json_number(json, "y_mm", 0.0) / 1e3;
  way.z_m = json_number(json, "z_mm", 0.0) / 1e3;
  way.inverted = json.value("inverted", false);
  way.delay_s = json_number(json, "delay_ms", 0.0) / 1e3;
  way.breakup_hz = json_number(json, "breakup_hz", 0.0);
  auto ladder = ladder_of(json_member(json, "ladder", Json::value_t::array), here);
  if (!ladder) return tl::unexpected(ladder.error());
  way.ladder = std::move(*ladder);
  if (const Json guide = json_member(json, "waveguide", Json::value_t::object); !guide.empty()) {
    way.guide = Waveguide{json_number(guide, "throat_mm", 25.0) / 2e3,
                          json_number(guide, "mouth_mm", 150.0) / 2e3,
                          json_number(guide, "half_angle_deg", 45.0) * kPi / 180.0};
    if (!(way.guide->throat_radius_m > 0.0) ||
        !(way.guide->mouth_radius_m > way.guide->throat_radius_m) ||
        !(way.guide->half_angle_rad > 0.05) || !(way.guide->half_angle_rad < 1.4))
      return bad_input(
          "A waveguide needs mouth_mm above throat_mm above 0 and half_angle_deg "
          "between 3 and 80.",
          here);
  }
  const double usual_travel = is_high(role) ? 0.0004 : 0.0045 * std::sqrt(sd / 0.0132);
  const double travel = json_number(json, "xmax_mm", usual_travel * 1e3) / 1e3;
  if (!(travel > 0.0)) return bad_input("xmax_mm must be above 0.", here);
  way.motor = MotorCurves{.bl_travel_m = travel,
                          .kms_travel_m = 1.1 * travel,
                          .bl_centre_m = 0.08 * travel,
                          .kms_rest_m = -0.06 * travel,
                          .le_share = is_high(role) ? 0.0 : 0.15,
                          .coil_k_per_w = is_high(role) ? 12.0 : 4.0,
                          .coil_j_per_k = is_high(role) ? 0.8 : 7.0,
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
    const Ladder pad = attenuator_pad(quietest / loudness(way), load);
    way.ladder.insert(way.ladder.end(), pad.begin(), pad.end());
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

Result<void> add_port(PracticeSpeaker& s, BoxLoad& load, const SubjectGeometry& g, const Json& json,
                      const std::string& where) {
  const SubjectPort& port = g.ports.front();
  const std::string here = fmt::format("{}: port \"{}\"", where, port.id);
  const auto panel = panel_of(json, "front", here);
  if (!panel) return tl::unexpected(panel.error());
  if (g.inner) {
    const double along = *panel == Panel::kFront || *panel == Panel::kBack   ? g.inner->depth_m
                         : *panel == Panel::kLeft || *panel == Panel::kRight ? g.inner->width_m
                                                                             : g.inner->height_m;
    if (port.geometry.length_m >= along) {
      return bad_input(
          fmt::format("The port of {} mm is longer than the box is inside ({} mm).",
                      three_digits(port.geometry.length_m * 1e3), three_digits(along * 1e3)),
          here);
    }
  }
  std::vector<PortGeometry> ports;
  for (const SubjectPort& p : g.ports) ports.push_back(p.geometry);
  const BoxLoad vented = vented_load(load.volume_m3, ports, load.ql, load.qa, load.qp);
  load.kind = vented.kind;
  load.tuning_hz = vented.tuning_hz;
  load.pipe = vented.pipe;
  s.port = {*panel, port.x_m, port.y_m};
  for (const PortGeometry& p : ports) s.port_area_m2 += p.area_m2();
  return {};
}

Result<void> add_radiator(PracticeSpeaker& s, BoxLoad& load, const Json& json,
                          const std::string& where) {
  const std::string here =
      fmt::format("{}: passive radiator \"{}\"", where, json_text(json, "id", "1"));
  const double diameter = json_number(json, "diameter_mm", 0.0) / 1e3;
  const double sd = json_number(json, "sd_cm2", 1e4 * kPi * std::pow(0.4 * diameter, 2)) / 1e4;
  const double mass = json_number(json, "moving_mass_g", 0.0) / 1e3;
  if (!(sd > 0.0) || !(mass > 0.0))
    return bad_input("It needs sd_cm2 (or diameter_mm) and moving_mass_g above 0.", here);
  const auto panel = panel_of(json, "front", here);
  if (!panel) return tl::unexpected(panel.error());
  const double w = 2.0 * kPi * json_number(json, "fs_hz", 18.0);
  load.kind = BoxLoad::Kind::kPassiveRadiator;
  load.radiator =
      PassiveRadiator{sd, mass, 1.0 / (w * w * mass), w * mass / json_number(json, "qms", 8.0)};
  load.tuning_hz = radiator_tuning_hz(load.volume_m3, *load.radiator);
  s.port = {*panel, json_number(json, "x_mm", 0.0) / 1e3, json_number(json, "y_mm", 0.0) / 1e3};
  s.port_area_m2 = sd;
  return {};
}

Result<BoxLoad> box_of(PracticeSpeaker& s, const SubjectGeometry& g, const Json& subject,
                       const std::string& where) {
  BoxLoad load;
  const Json box = json_member(subject, "box", Json::value_t::object);
  const double inner_m3 = g.inner ? g.inner->width_m * g.inner->height_m * g.inner->depth_m : 0.0;
  // Braces, drivers and crossover take about a tenth (common practice, no source).
  load.volume_m3 = g.net_volume_m3.value_or(inner_m3 > 0.0 ? 0.9 * inner_m3 : 0.014);
  if (inner_m3 > 0.0 && load.volume_m3 > 1.001 * inner_m3) {
    return bad_input(fmt::format("A net volume of {} l does not fit into {} l inside.",
                                 three_digits(load.volume_m3 * 1e3), three_digits(inner_m3 * 1e3)),
                     where + ": box");
  }
  load.ql = json_number(box, "ql", 9.0);
  const bool damped = g.damping != BoxDamping::kNone;
  load.qa = json_number(box, "qa", g.damping == BoxDamping::kFilled ? 5.0 : damped ? 12.0 : 60.0);
  load.qp = json_number(box, "qp", 60.0);
  load.kind = BoxLoad::Kind::kSealed;
  // Fibres take up heat: up to 1.4 times the air's compliance, 1.2 in a usual filling.
  if (g.damping == BoxDamping::kFilled) load.volume_m3 *= 1.2;
  if (g.loading == "passive-radiator") {
    const Json radiators = json_member(subject, "passive_radiators", Json::value_t::array);
    if (radiators.empty())
      return bad_input("A passive-radiator box needs passive_radiators.", where);
    if (auto added = add_radiator(s, load, radiators[0], where); !added)
      return tl::unexpected(added.error());
  } else if (g.loading != "sealed" && !g.ports.empty()) {
    if (auto added =
            add_port(s, load, g, json_member(subject, "ports", Json::value_t::array)[0], where);
        !added)
      return tl::unexpected(added.error());
  } else if (g.loading == "vented" || g.loading.empty()) {
    load.kind = BoxLoad::Kind::kVented;
    load.tuning_hz = json_number(box, "tuning_hz", 45.0);
    if (!(load.tuning_hz > 0.0)) return bad_input("tuning_hz must be above 0.", where + ": box");
    s.port = {Panel::kBack, 0.0, 0.0};
    s.port_area_m2 = kPi * 0.025 * 0.025;
  }
  return load;
}

/// Standing waves as seen from one driver of the box.
void add_waves(PracticeWay& way, const PracticeSpeaker& s, const SubjectGeometry& g,
               const std::shared_ptr<const BoxField>& field) {
  const double port_depth =
      s.port.panel == Panel::kFront
          ? (g.ports.empty() ? 0.0 : g.ports.front().geometry.length_m)
          : g.inner->depth_m - (g.ports.empty() ? 0.0 : g.ports.front().geometry.length_m);
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

Result<void> add_loading(PracticeSpeaker& s, const SubjectGeometry& g, const Json& subject,
                         const std::string& where) {
  std::vector<PracticeWay*> boxed;
  for (std::size_t i = 0; i < s.ways.size(); ++i) {
    const Json drivers = json_member(subject, "drivers", Json::value_t::array);
    const std::string role = json_text(drivers[i], "role", "woofer");
    // Tweeters and midranges bring their own chamber.
    if (!is_high(role) && (role != "midrange" || s.ways.size() == 1)) boxed.push_back(&s.ways[i]);
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
    const Json wings = json_member(subject, "wings", Json::value_t::object);
    const double left = json_number(wings, "left_mm", 0.0) / 1e3;
    const double right = json_number(wings, "right_mm", 0.0) / 1e3;
    // As deep as its wings, at least as its board is thick.
    const auto panel =
        Baffle::make({g.baffle->width_m(), g.baffle->height_m(), std::max({0.018, left, right}),
                      g.baffle->edge(), g.baffle->edge_size_m()});
    if (!panel) return tl::unexpected(panel.error());
    s.baffle = *panel;
    s.open_back = true;
    for (PracticeWay* way : boxed) {
      way->box = open_back_load({.width_m = g.baffle->width_m(),
                                 .height_m = g.baffle->height_m(),
                                 .driver_x_m = g.origin_x_m + way->x_m,
                                 .driver_y_m = g.origin_y_m + way->y_m,
                                 .left_wing_m = left,
                                 .right_wing_m = right});
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

QuotedParameters usual_parameters(const std::string& role, double sd_m2) {
  if (role == "tweeter") {
    const double size = sd_m2 / 7.5e-4;
    return {.fs_hz = 820.0 / std::sqrt(size),
            .qms = 1.9,
            .qes = 1.35,
            .vas_m3 = 8.0e-6 * std::pow(size, 1.5),
            .sd_m2 = sd_m2,
            .re_ohm = 5.3,
            .le_h = 3e-5};
  }
  if (role == "compression-driver") {
    return {.fs_hz = 620.0,
            .qms = 4.0,
            .qes = 0.45,
            .vas_m3 = 1.6e-5 * sd_m2 / 15e-4,
            .sd_m2 = sd_m2,
            .re_ohm = 5.6,
            .le_h = 6e-5};
  }
  const double size = sd_m2 / 132e-4;
  const bool wide = role == "fullrange" || role == "midrange";
  return {.fs_hz = (wide                  ? 68.0
                    : role == "subwoofer" ? 34.0
                                          : 42.0) *
                   std::pow(size, -0.35),
          .qms = 4.2,
          .qes = wide ? 0.55 : 0.46,
          .vas_m3 = 0.0215 * std::pow(size, 1.6) * (wide ? 0.7 : 1.0),
          .sd_m2 = sd_m2,
          .re_ohm = 5.6,
          .le_h = (wide ? 1.2e-4 : 2.5e-4) * std::sqrt(size)};
}

Result<PracticeSpeaker> practice_speaker_of(const std::string& description_json,
                                            const std::string& where) {
  const auto geometry = geometry_of(description_json, where);
  if (!geometry) return tl::unexpected(geometry.error());
  const SubjectGeometry& g = *geometry;
  const Json subject = parsed_json(description_json);
  const std::string loading = g.loading.empty() ? "vented" : g.loading;
  if (std::find(std::begin(kLoadings), std::end(kLoadings), loading) == std::end(kLoadings))
    return bad_input(fmt::format("There is no loading \"{}\".", loading), where);
  PracticeSpeaker s;
  Json described = subject;
  // Without drivers it is the kiosk's pair.
  if (json_member(described, "drivers", Json::value_t::array).empty()) {
    described["drivers"] = Json::array({{{"id", "woofer"}, {"role", "woofer"}, {"y_mm", -95}},
                                        {{"id", "tweeter"}, {"role", "tweeter"}, {"y_mm", 60}}});
    if (loading == "horn") return bad_input("A horn needs its driver described.", where);
  }
  std::set<std::string> ids;
  for (const Json& json : described["drivers"]) {
    if (!json.is_object()) return bad_input("A driver is a JSON object.", where + ": drivers");
    auto way = way_of(json, where);
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
