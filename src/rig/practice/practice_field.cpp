#include "rig/practice/practice_field.h"

#include <algorithm>
#include <cmath>

#include "acoustics/directivity/piston.h"
#include "acoustics/open_baffle/shallow_box.h"
#include "acoustics/open_baffle/thin_panel.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

/// For the direct sound dense enough that cubics between points leave no echoes of their own; what
/// the walls send back may be coarser.
constexpr double kPerOctave = 192.0;
constexpr double kLowest_hz = 10.0;
/// Of a cone above its break-up the middle part alone, 0.4 of the radius, is the other end of the
/// mixture.
constexpr double kInnerPart = 0.4;
constexpr double kDegree = kPi / 180.0;

/// Where a place lies in the box's coordinates; without a box, in the baffle's own.
BafflePoint point_of(const PracticeSpeaker& s, const PanelPlace& place, double z_m) {
  if (!s.baffle) return {s.origin_x_m + place.x_m, s.origin_y_m + place.y_m, z_m};
  BafflePoint at = lalometer::point_of(*s.baffle, s.origin_x_m, s.origin_y_m, place);
  if (place.panel == Panel::kFront) at.z_m = z_m;
  return at;
}

double distance(const BafflePoint& a, const BafflePoint& b) {
  return std::hypot(a.x_m - b.x_m, a.y_m - b.y_m, a.z_m - b.z_m);
}

/// Angle between a panel's own axis and the direction to a listener.
double angle_from_axis(const BafflePoint& source, const BafflePoint& at) {
  return std::acos(std::clamp((at.z_m - source.z_m) / distance(source, at), -1.0, 1.0));
}

}  // namespace

PracticeField::PracticeField(const PracticeSpeaker& speaker, const PracticeRoom& room)
    : PracticeField(speaker, room, std::make_shared<PracticeCircuits>(speaker)) {}

PracticeField::PracticeField(const PracticeSpeaker& speaker, const PracticeRoom& room,
                             std::shared_ptr<const PracticeCircuits> circuits)
    : speaker_(speaker),
      room_(room),
      circuits_(std::move(circuits)),
      c_(speed_of_sound_m_s(room.temperature_c)),
      axis_(FrequencyAxis::logarithmic(kLowest_hz, 96000.0, kPerOctave)) {
  if (!room_.near_source.empty()) {
    add_near_sources();
    return;
  }
  const std::vector<Listener> all = listeners();
  for (std::size_t w = 0; w < speaker_.ways.size(); ++w) {
    const PracticeWay& way = speaker_.ways[w];
    if (!plays(way)) continue;
    const PanelPlace front{Panel::kFront, way.x_m, way.y_m};
    const double area = way.guide ? kPi * std::pow(way.guide->mouth_radius_m, 2) : way.driver.sd_m2;
    add_source(w, kFront, front, way.z_m, area, all);
    // Front and rear of an open panel are one solution.
    if (speaker_.open_back) continue;
    if (way.box.kind == BoxLoad::Kind::kFreeAir) continue;
    add_source(w, kPort, speaker_.port, 0.0, speaker_.port_area_m2, all);
    add_source(w, kYielding, speaker_.yielding, 0.0, speaker_.yielding_area_m2, all);
    add_source(w, kLeak, speaker_.leak, 0.0, speaker_.leak_area_m2, all);
  }
}

bool PracticeField::plays(const PracticeWay& way) const {
  return room_.only.empty() || room_.only == way.id;
}

double PracticeField::flight_s() const {
  return (room_.near_source.empty() ? room_.distance_m : room_.near_m) / c_;
}

std::vector<PracticeField::Listener> PracticeField::listeners() const {
  const PracticeRoom& r = room_;
  const double origin_x = speaker_.origin_x_m;
  const double origin_y = speaker_.origin_y_m;
  // Turning the loudspeaker is turning the room about it the other way.
  const double h = r.horizontal_deg * kDegree;
  const double v = r.vertical_deg * kDegree;
  const auto seen = [&](double x, double y, double z) {
    const double across = x * std::cos(h) + z * std::sin(h);
    const double ahead = z * std::cos(h) - x * std::sin(h);
    return BafflePoint{origin_x + across, origin_y + y * std::cos(v) + ahead * std::sin(v),
                       ahead * std::cos(v) - y * std::sin(v)};
  };
  /// Mirror images of a coordinate between two planes (either may be missing), with the number of
  /// walls met and the product of their factors.
  struct Mirrored {
    double at;
    int walls;
    double gain;
  };
  const auto images = [&](double at, double low, double low_gain, double high, double high_gain) {
    std::vector<Mirrored> all = {{at, 0, 1.0}};
    std::vector<Mirrored> edge = all;
    std::vector<int> last = {0};
    for (int order = 1; order <= r.orders; ++order) {
      std::vector<Mirrored> next;
      std::vector<int> next_last;
      for (std::size_t i = 0; i < edge.size(); ++i) {
        if (low_gain > 0.0 && last[i] != -1) {
          next.push_back({2.0 * low - edge[i].at, order, edge[i].gain * low_gain});
          next_last.push_back(-1);
        }
        if (high_gain > 0.0 && last[i] != 1) {
          next.push_back({2.0 * high - edge[i].at, order, edge[i].gain * high_gain});
          next_last.push_back(1);
        }
      }
      all.insert(all.end(), next.begin(), next.end());
      edge = std::move(next);
      last = std::move(next_last);
    }
    return all;
  };
  const auto wall = [&](double at_m) { return at_m > 0.0 ? r.wall_reflection : 0.0; };
  const auto xs =
      images(0.0, -r.left_wall_m, wall(r.left_wall_m), r.right_wall_m, wall(r.right_wall_m));
  const auto ys =
      images(0.0, -r.origin_height_m, r.floor_reflection, r.ceiling_m, wall(r.ceiling_m));
  const auto zs = images(r.distance_m, -r.front_wall_m, wall(r.front_wall_m), r.rear_wall_m,
                         wall(r.rear_wall_m));
  std::vector<Listener> result;
  for (const Mirrored& x : xs) {
    for (const Mirrored& y : ys) {
      for (const Mirrored& z : zs) {
        const int walls = x.walls + y.walls + z.walls;
        if (walls > r.orders) continue;
        result.push_back({seen(x.at, y.at, z.at), x.gain * y.gain * z.gain, walls});
      }
    }
  }
  // The direct sound is the one without walls: it comes first by the order of the loops.
  return result;
}

void PracticeField::add_source(std::size_t way, Role role, const PanelPlace& place, double z_m,
                               double area_m2, const std::vector<Listener>& all) {
  if (!(area_m2 > 0.0)) return;
  Source source{.way = way, .role = role, .paths = {}};
  const PracticeWay* cone = role == kFront ? &speaker_.ways[way] : nullptr;
  for (const Listener& listener : all)
    source.paths.push_back(path_of(cone, place, z_m, area_m2, listener, listener.walls == 0));
  sources_.push_back(std::move(source));
}

PracticeField::Path PracticeField::path_of(const PracticeWay* way, const PanelPlace& place,
                                           double z_m, double area_m2, const Listener& listener,
                                           bool direct) const {
  const BafflePoint from = point_of(speaker_, place, z_m);
  Path path{.distance_m = distance(from, listener.at),
            .gain = listener.gain,
            .walls = listener.walls,
            .edges = {}};
  const auto guided = [&](double f, double angle) {
    return way && way->guide ? waveguide_directivity(*way->guide, angle, f, c_) : Complex(1.0);
  };
  if (way && way->panel && !way->guide) {
    path.edges =
        solved_panel(*way->panel, c_)->response(listener.at, std::sqrt(area_m2 / kPi), axis_);
    return path;
  }
  if (!speaker_.baffle) {
    if (way && way->guide) {
      const double angle = angle_from_axis(from, listener.at);
      for (const double f : axis_.hz()) path.edges.push_back(guided(f, angle));
    }
    return path;
  }
  const BoxFace face = face_of(*speaker_.baffle, place.panel, listener.at);
  const BoxFace own = face_of(*speaker_.baffle, place.panel, from);
  const bool front = place.panel == Panel::kFront;
  const auto box = Baffle::make({face.width_m, face.height_m, face.depth_m,
                                 front ? speaker_.baffle->edge() : EdgeShape::kSquare,
                                 front ? speaker_.baffle->edge_size_m() : 0.0});
  if (!box) return path;
  const double radius = std::sqrt(area_m2 / kPi);
  const DiffractionEffort effort = direct ? DiffractionEffort::kFine : DiffractionEffort::kCoarse;
  const auto response = [&](double of_radius) {
    const auto piston = BafflePiston::make(*box, own.at.x_m, own.at.y_m, of_radius);
    return piston ? box_response(*box, *piston, face.at, axis_, c_, effort)
                  : std::vector<Complex>();
  };
  if (way && way->guide) {
    // The wall's part goes by the angle to the listener, the edges' by what leaves along the front.
    const double point = 0.005;
    const auto piston = BafflePiston::make(*box, own.at.x_m, own.at.y_m, point);
    if (!piston) return path;
    path.edges = box_response(*box, *piston, face.at, axis_, c_, effort);
    const bool ahead = face.at.z_m > 0.0;
    const double angle = angle_from_axis({own.at.x_m, own.at.y_m, 0.0}, face.at);
    for (std::size_t i = 0; i < axis_.size(); ++i) {
      const Complex wall = ahead ? 1.0 : 0.0;
      path.edges[i] =
          wall * guided(axis_[i], angle) + (path.edges[i] - wall) * guided(axis_[i], 0.5 * kPi);
    }
    return path;
  }
  path.edges = response(radius);
  if (way && way->breakup_hz > 0.0 && !path.edges.empty()) {
    const std::vector<Complex> inner = response(kInnerPart * radius);
    for (std::size_t i = 0; i < axis_.size(); ++i) {
      const double share = effective_radius_m(radius, way->breakup_hz, axis_[i]) / radius;
      const double t = std::clamp((share - kInnerPart) / (1.0 - kInnerPart), 0.0, 1.0);
      path.edges[i] = t * path.edges[i] + (1.0 - t) * inner[i];
    }
  }
  return path;
}

void PracticeField::add_near_sources() {
  const bool at_port = speaker_.way(room_.near_source) == nullptr;
  const PracticeWay* chosen = speaker_.way(room_.near_source);
  const PanelPlace place =
      chosen ? PanelPlace{Panel::kFront, chosen->x_m, chosen->y_m} : speaker_.port;
  const BafflePoint here = point_of(speaker_, place, chosen ? chosen->z_m : 0.0);
  for (std::size_t w = 0; w < speaker_.ways.size(); ++w) {
    const PracticeWay& way = speaker_.ways[w];
    if (!plays(way)) continue;
    const auto add = [&](Role role, const PanelPlace& from, double z_m, double area, bool near) {
      if (!(area > 0.0)) return;
      Path path;
      path.distance_m =
          near ? room_.near_m
               : std::hypot(distance(here, point_of(speaker_, from, z_m)), room_.near_m);
      // Round the box's corner a source reaches the microphone from all of space, not half of it.
      path.gain = near || from.panel == place.panel || !speaker_.baffle ? 1.0 : 0.5;
      Source source{.way = w, .role = role, .paths = {std::move(path)}};
      if (near) source.near_radius_m = std::sqrt(area / kPi);
      sources_.push_back(std::move(source));
    };
    add(kFront, {Panel::kFront, way.x_m, way.y_m}, way.z_m, way.driver.sd_m2, &way == chosen);
    if (speaker_.open_back) {
      add(kPort, {Panel::kBack, way.x_m, way.y_m}, 0.0, way.driver.sd_m2, false);
    } else if (way.box.kind != BoxLoad::Kind::kFreeAir) {
      add(kPort, speaker_.port, 0.0, speaker_.port_area_m2, at_port);
      add(kYielding, speaker_.yielding, 0.0, speaker_.yielding_area_m2, false);
      add(kLeak, speaker_.leak, 0.0, speaker_.leak_area_m2, false);
    }
  }
}

Complex PracticeField::pressure(const Source& source, const Path& path, Complex volume_velocity,
                                double f) const {
  const double k = 2.0 * kPi * f / c_;
  if (source.near_radius_m > 0.0) {
    const double a = source.near_radius_m;
    const Complex speed = volume_velocity / (kPi * a * a);
    return kAirDensity_kg_m3 * c_ * speed *
           (std::polar(1.0, -k * path.distance_m) -
            std::polar(1.0, -k * std::hypot(path.distance_m, a)));
  }
  Complex wall = half_space_pressure_pa(volume_velocity, f, path.distance_m) *
                 std::polar(path.gain, -k * path.distance_m);
  if (path.walls > 0 && room_.absorption_hz > 0.0)
    wall /= std::pow(Complex(1.0, f / room_.absorption_hz), path.walls);
  if (path.edges.empty()) return wall;
  const double at = std::clamp(std::log2(f / kLowest_hz) * kPerOctave, 1.0,
                               static_cast<double>(axis_.size()) - 2.001);
  const auto i = static_cast<std::size_t>(at);
  const double t = at - static_cast<double>(i);
  const Complex* e = &path.edges[i];
  const Complex edge = e[0] + 0.5 * t *
                                  (e[1] - e[-1] +
                                   t * (2.0 * e[-1] - 5.0 * e[0] + 4.0 * e[1] - e[2] +
                                        t * (3.0 * (e[0] - e[1]) + e[2] - e[-1])));
  return wall * edge;
}

namespace {

Complex volume_velocity_of(const WayState& s, int role) {
  const Complex parts[] = {s.front, s.port, s.yielding, s.leak};
  return parts[role];
}

}  // namespace

void PracticeField::ways_at(double f, std::vector<WayState>& states,
                            std::vector<WayPressure>& pressures) const {
  circuits_->at(f, states);
  pressures.assign(states.size(), {});
  for (const Source& source : sources_) {
    const Complex flow = volume_velocity_of(states[source.way], source.role);
    WayPressure& of_way = pressures[source.way];
    for (const Path& path : source.paths)
      (source.role == kPort ? of_way.port : of_way.cone) += pressure(source, path, flow, f);
  }
}

PracticeOutput PracticeField::at(double f) const {
  std::vector<WayState> states;
  circuits_->at(f, states);
  Complex admittance = 0.0;
  for (const WayState& s : states) admittance += 1.0 / s.impedance_ohm;
  PracticeOutput out{1.0 / admittance, 0.0, 0.0};
  for (const Source& source : sources_) {
    const Complex flow = volume_velocity_of(states[source.way], source.role);
    for (const Path& path : source.paths)
      (path.walls == 0 ? out.direct_pa_per_v : out.reflected_pa_per_v) +=
          pressure(source, path, flow, f);
  }
  return out;
}

}  // namespace lalometer
