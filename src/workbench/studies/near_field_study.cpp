#include "workbench/studies/near_field_study.h"

#include <algorithm>
#include <cmath>

#include "acoustics/baffle/panel.h"
#include "acoustics/open_baffle/shallow_box.h"
#include "acoustics/spectrum/bode_phase.h"
#include "acoustics/spectrum/figures.h"
#include "acoustics/spectrum/smoothing.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

constexpr double kLowest_hz = 10.0;
/// Of what near fields tell: calibrations alike, a microphone 1 mm off at 5 mm (common practice).
constexpr double kLevelDeviation_db = 0.5;

/// One of the subject's radiating parts.
struct Part {
  NearSource source;
  PanelPlace place;
  bool cone = false;  ///< else a port or a passive radiator
};

std::string parts_of(const SubjectGeometry& g) {
  std::string text;
  const auto add = [&](const std::string& id) {
    text += (text.empty() ? "\"" : ", \"") + id + "\"";
  };
  for (const SubjectDriver& d : g.drivers) add(d.id);
  for (const SubjectPort& p : g.ports) add(p.id);
  for (const SubjectRadiator& r : g.radiators) add(r.id);
  return text.empty() ? "none" : text;
}

Result<Part> part_named(const SubjectGeometry& g, const std::string& id, const std::string& where) {
  Part part;
  part.source.id = id;
  const auto placed = [&](const std::string& panel, double x, double y) {
    part.place = {panel_of(panel).value_or(Panel::kFront), x, y};
    part.source.panel = static_cast<int>(part.place.panel);
    part.source.placed = g.baffle.has_value();
    if (!g.baffle) return;
    const BafflePoint at = point_of(*g.baffle, g.origin_x_m, g.origin_y_m, part.place);
    part.source.x_m = at.x_m;
    part.source.y_m = at.y_m;
    part.source.z_m = at.z_m;
  };
  for (const SubjectDriver& d : g.drivers) {
    if (d.id != id) continue;
    if (!d.radius_m)
      return bad_input(
          fmt::format("Nothing tells the area of \"{}\": say sd_cm2 or its diameter.", id), where);
    part.cone = true;
    part.source.radius_m = *d.radius_m;
    placed("front", d.x_m, d.y_m);
    return part;
  }
  for (const SubjectPort& p : g.ports) {
    if (p.id != id) continue;
    part.source.radius_m = p.geometry.equivalent_radius_m();
    part.source.count = p.geometry.count;
    placed(p.panel, p.x_m, p.y_m);
    return part;
  }
  for (const SubjectRadiator& r : g.radiators) {
    if (r.id != id) continue;
    if (!(r.radius_m > 0.0))
      return bad_input(
          fmt::format("Nothing tells the area of \"{}\": say sd_cm2 or its diameter.", id), where);
    part.source.radius_m = r.radius_m;
    placed(r.panel, r.x_m, r.y_m);
    return part;
  }
  return bad_input(
      fmt::format("The near field's source \"{}\" is none of the subject's parts ({}).", id,
                  parts_of(g)),
      where);
}

/// The takes on one axis, at one drive, with one time.
struct Material {
  std::vector<Part> parts;
  std::vector<Response> pressures;
  double drive_v = 2.83;
  bool calibrated = true;
  bool by_physics = false;  ///< phases are what minimum phase makes of magnitudes
  bool share_told = false;  ///< of what the parts add at one another's microphones
  std::vector<std::string> notes = {};
};

std::size_t nearest_index(const FrequencyAxis& axis, double f) {
  std::size_t i = 0;
  while (i + 1 < axis.size() && axis[i + 1] <= f) ++i;
  return i;
}

FrequencyAxis common_axis(const std::vector<NearTake>& takes) {
  double low = kLowest_hz;
  double high = 1e9;
  for (const NearTake& each : takes) {
    low = std::max(low, std::max(each.curve->axis().front(), each.curve->valid().low_hz));
    high = std::min(high, each.curve->axis().back());
  }
  constexpr double kPerOctave = 96.0;
  return FrequencyAxis::logarithmic(low, std::max(high, 1.01 * low), kPerOctave);
}

/// A port or a radiator that nobody held the microphone to is missing in the sum.
void note_untaken(const SubjectGeometry& g, Material& m) {
  const auto taken = [&](const std::string& id) {
    return std::any_of(m.parts.begin(), m.parts.end(),
                       [&](const Part& p) { return p.source.id == id; });
  };
  const auto note = [&](const std::string& id) {
    if (!taken(id))
      m.notes.push_back(fmt::format("There is no near field of {}: the sum lacks it.", id));
  };
  for (const SubjectPort& p : g.ports) note(p.id);
  for (const SubjectRadiator& r : g.radiators) note(r.id);
}

Result<Material> material_of(const SubjectGeometry& g, const std::vector<NearTake>& takes,
                             const std::string& where) {
  Material m;
  if (takes.empty()) return bad_input("No near field was found here.", where);
  m.drive_v = takes.front().take->conditions.drive_v;
  bool phased = true;
  bool common = true;
  const FrequencyAxis axis = common_axis(takes);
  for (const NearTake& each : takes) {
    const auto* setup = std::get_if<NearFieldSetup>(&each.take->setup);
    auto part = part_named(g, setup == nullptr ? "" : setup->source, where);
    if (!part) return tl::unexpected(part.error());
    if (std::any_of(m.parts.begin(), m.parts.end(),
                    [&](const Part& p) { return p.source.id == part->source.id; })) {
      m.notes.push_back(
          fmt::format("Of several near fields of {} the first counts.", part->source.id));
      continue;
    }
    part->source.microphone_m = setup->distance_mm / 1e3;
    Response curve = resampled(*each.curve, axis);
    const double drive = each.take->conditions.drive_v;
    if (drive != m.drive_v) {
      std::vector<Complex> values = curve.values();
      for (Complex& v : values) v *= m.drive_v / drive;
      curve = *Response::make(axis, std::move(values), curve.quantity(), curve.valid(),
                              curve.has_phase());
      m.notes.push_back(fmt::format("The near field of {} was brought from {} V to {} V.",
                                    part->source.id, three_digits(drive), three_digits(m.drive_v)));
    }
    phased = phased && curve.has_phase();
    common = common && each.origin.source != TimeOrigin::Source::kOnset;
    m.calibrated = m.calibrated && each.calibrated;
    m.parts.push_back(*std::move(part));
    m.pressures.push_back(std::move(curve));
  }
  note_untaken(g, m);
  if (m.parts.size() > 1 && (!phased || !common)) {
    m.by_physics = true;
    m.notes.emplace_back(
        phased ? "The near fields have no time in common: each was given minimum phase, ports and "
                 "radiators half a turn from the cones far below the tuning."
               : "The near fields have no phase: each was given minimum phase, ports and radiators "
                 "half a turn from the cones far below the tuning.");
    for (std::size_t i = 0; i < m.parts.size(); ++i) {
      // A cone in a box falls by 12 dB an octave, or 24 with a port; the port by 12.
      m.pressures[i] = with_minimum_phase(m.pressures[i], {12.0, -6.0});
      if (m.parts[i].cone) continue;
      std::vector<Complex> values = m.pressures[i].values();
      for (Complex& v : values) v = -v;
      m.pressures[i] = *Response::make(axis, std::move(values), m.pressures[i].quantity(),
                                       m.pressures[i].valid(), true);
    }
  }
  if (std::none_of(m.parts.begin(), m.parts.end(), [](const Part& p) { return p.cone; }))
    return bad_input("No near field of a cone was found here.", where);
  return m;
}

Response over(const FrequencyAxis& axis, std::vector<Complex> values, bool calibrated,
              double valid_to_hz) {
  return *Response::make(axis, std::move(values),
                         calibrated ? Quantity::kPressure : Quantity::kRatio,
                         {axis.front(), std::min(valid_to_hz, axis.back())}, true);
}

/// How much of each other's sound the takes hold, by the takes themselves where they tell.
double share_of_others(Material& m, const std::vector<NearSource>& sources, double c) {
  std::vector<bool> cone;
  std::size_t first = m.parts.size();
  bool ported = false;
  bool placed = true;
  for (std::size_t k = 0; k < m.parts.size(); ++k) {
    cone.push_back(m.parts[k].cone);
    if (m.parts[k].cone && first == m.parts.size()) first = k;
    ported = ported || !m.parts[k].cone;
    placed = placed && sources[k].placed;
  }
  if (!ported || !placed) return 1.0;
  const Response& heard = m.pressures[first];
  const auto least = least_movement_hz(heard, 1.2 * heard.axis().front(),
                                       0.5 * near_field_limit_hz(sources[first].radius_m, c));
  const auto share = least ? crosstalk_share(sources, m.pressures, cone, *least, c) : std::nullopt;
  if (!share)
    m.notes.emplace_back(
        "What the parts add at one another's microphones was taken out as from a large wall: the "
        "takes themselves do not tell how much there is.");
  m.share_told = share.has_value();
  return share.value_or(1.0);
}

/// Far from the tuning a port plays next to nothing, and anything is louder.
void tell_others(NearFields& n, const std::vector<NearSource>& sources,
                 const std::vector<std::vector<Complex>>& velocities, double c, double share) {
  const double middle = n.least_movement_hz.value_or(60.0);
  const double low = 0.5 * middle;
  const double high = 2.0 * middle;
  const auto others = crosstalk_db(sources, velocities, n.cone.axis(), low, high, c, share);
  for (std::size_t k = 0; k < sources.size(); ++k)
    if (others[k] && *others[k] > -30.0)
      n.notes.push_back(fmt::format(
          "From {} to {} the other parts come up to {:.0f} dB {} {} at its microphone: taken out.",
          frequency_text(low), frequency_text(high), std::abs(*others[k]),
          *others[k] > 0.0 ? "over" : "under", sources[k].id));
}

void tell_falls(NearFields& n) {
  const Response& curve = n.half_space;
  const double high = std::min(n.valid_to_hz, curve.axis().back());
  const auto reference = mean_level_db(curve, std::max(high / 3.0, curve.axis().front()), high);
  if (!reference) return;
  n.f3_hz = fall_off_hz(curve, *reference, 3.0, kLevelDeviation_db);
  n.f6_hz = fall_off_hz(curve, *reference, 6.0, kLevelDeviation_db);
  n.f10_hz = fall_off_hz(curve, *reference, 10.0, kLevelDeviation_db);
  n.notes.push_back(
      fmt::format("F3, F6, F10 are re the mean of the half-space level from {} to {}.",
                  frequency_text(high / 3.0), frequency_text(high)));
}

void tell_tuning(NearFields& n, const Material& m, bool ported,
                 const std::vector<Complex>& cone_flow, const std::vector<Complex>& port_flow) {
  if (ported) {
    n.least_movement_hz =
        least_movement_hz(n.cone, 1.2 * n.cone.axis().front(), 0.5 * n.valid_to_hz);
    // Phases that were made of magnitudes with others' sound in them tell no quarter turn.
    if (n.least_movement_hz && (!m.by_physics || m.share_told))
      n.fb_hz = tuning_by_movements(n.cone.axis(), cone_flow, port_flow, *n.least_movement_hz);
    if (n.least_movement_hz && !n.fb_hz) n.fb_hz = from_relative(*n.least_movement_hz, 0.03);
    if (!n.fb_hz) n.notes.emplace_back("fb_hz: the cone has no least movement in this range.");
  } else {
    n.notes.emplace_back("fb_hz: no port or passive radiator was taken.");
  }
}

/// Where a port's microphone hears the port itself, not the rest of what the others leave.
std::vector<bool> heard_itself(const Material& m, const std::vector<NearSource>& sources,
                               const std::vector<std::vector<Complex>>& velocities, double c) {
  constexpr double kShare = 0.2;
  const FrequencyAxis& axis = m.pressures.front().axis();
  std::vector<bool> itself(axis.size(), false);
  for (std::size_t k = 0; k < sources.size(); ++k) {
    if (m.parts[k].cone) continue;
    for (std::size_t i = 0; i < axis.size(); ++i) {
      const Complex own = near_impedance(sources[k].radius_m, sources[k].microphone_m, axis[i], c) /
                          static_cast<double>(sources[k].count) * velocities[k][i];
      itself[i] = itself[i] || std::abs(own) > kShare * m.pressures[k].magnitude(i);
    }
  }
  return itself;
}

void tell_port(NearFields& n, double top_hz, const std::vector<bool>& itself) {
  if (!n.port) return;
  const double least = n.least_movement_hz.value_or(n.fb_hz ? n.fb_hz->value : 40.0);
  // Over a twelfth of an octave, so that noise is no resonance.
  const Response heard = smoothed(n.port->with_valid({n.port->axis().front(), top_hz}), 12);
  for (std::size_t i = 0; i < heard.size(); ++i) {
    const double f = heard.axis()[i];
    if (f < 0.5 * least || f > 2.5 * least) continue;
    if (!n.port_top || heard.level_db(i) > n.port_top->level_db)
      n.port_top = StandingOut{f, heard.level_db(i), 0.0};
  }
  n.port_resonances = tops(heard, 3.0 * least, top_hz, 3.0);
  std::erase_if(n.port_resonances, [&](const StandingOut& one) {
    return !itself[nearest_index(heard.axis(), one.frequency_hz)];
  });
  if (n.port_top && !n.port_resonances.empty()) {
    const auto loudest = std::max_element(
        n.port_resonances.begin(), n.port_resonances.end(),
        [](const StandingOut& a, const StandingOut& b) { return a.level_db < b.level_db; });
    n.notes.push_back(fmt::format("The port stands {:.1f} dB above its resonance at {}.",
                                  n.port_top->level_db - loudest->level_db,
                                  frequency_text(loudest->frequency_hz)));
  }
}

}  // namespace

std::vector<Complex> radiated(const SubjectGeometry& g, const std::vector<RadiatedPart>& parts,
                              const FrequencyAxis& axis, const Placement& where, double c) {
  std::vector<Complex> sum(axis.size(), 0.0);
  const double far_m = where.distance_m;
  const BafflePoint listener =
      point_at(g.origin_x_m, g.origin_y_m, far_m, where.horizontal_deg * kPi / 180.0,
               where.vertical_deg * kPi / 180.0);
  for (const RadiatedPart& part : parts) {
    const BafflePoint from = point_of(*g.baffle, g.origin_x_m, g.origin_y_m, part.place);
    const BoxFace face = face_of(*g.baffle, part.place.panel, listener);
    const BoxFace own = face_of(*g.baffle, part.place.panel, from);
    const bool front = part.place.panel == Panel::kFront;
    const auto box = Baffle::make({face.width_m, face.height_m, face.depth_m,
                                   front ? g.baffle->edge() : EdgeShape::kSquare,
                                   front ? g.baffle->edge_size_m() : 0.0});
    // What does not lie on the flat of its panel is taken for a point of it.
    auto piston = BafflePiston::make(*box, own.at.x_m, own.at.y_m, part.radius_m);
    if (!piston) piston = BafflePiston::make(*box, own.at.x_m, own.at.y_m, 0.005);
    if (!piston) piston = BafflePiston::make(*box, 0.5 * face.width_m, 0.5 * face.height_m, 0.005);
    const auto edges = box_response(*box, *piston, face.at, axis, c, DiffractionEffort::kFine);
    const double away =
        std::hypot(listener.x_m - from.x_m, listener.y_m - from.y_m, listener.z_m - from.z_m);
    for (std::size_t i = 0; i < axis.size(); ++i) {
      const double w = 2.0 * kPi * axis[i];
      sum[i] += Complex(0.0, w) * kAirDensity_kg_m3 * part.velocity[i] / (2.0 * kPi) * edges[i] *
                std::polar(far_m / away, -w / c * (away - far_m));
    }
  }
  return sum;
}

Result<NearFields> near_fields_of(const SubjectGeometry& g, const std::vector<NearTake>& takes,
                                  const std::string& where, std::stop_token stop,
                                  double listener_m) {
  auto material = material_of(g, takes, where);
  if (!material) return tl::unexpected(material.error());
  const FrequencyAxis axis = material->pressures.front().axis();
  const double c = speed_of_sound_m_s(takes.front().take->conditions.temperature_c);
  std::vector<NearSource> sources;
  for (const Part& part : material->parts) sources.push_back(part.source);
  const double share = share_of_others(*material, sources, c);
  const auto velocities = volume_velocities(sources, material->pressures, c, share);
  const auto first =
      static_cast<std::size_t>(std::find_if(material->parts.begin(), material->parts.end(),
                                            [](const Part& p) { return p.cone; }) -
                               material->parts.begin());
  const double reference = sources[first].radius_m;
  const auto add = [&](std::vector<Complex>& to, std::size_t part) {
    for (std::size_t i = 0; i < axis.size(); ++i)
      to[i] += Complex(0.0, 2.0 * kPi * axis[i]) * kAirDensity_kg_m3 * velocities[part][i] /
               (kPi * reference);
  };
  std::vector<Complex> cone(axis.size(), 0.0);
  std::vector<Complex> port(axis.size(), 0.0);
  std::vector<Complex> cone_flow(axis.size(), 0.0);
  std::vector<Complex> port_flow(axis.size(), 0.0);
  bool has_port = false;
  double valid_to = 1e9;
  for (std::size_t k = 0; k < sources.size(); ++k) {
    const bool of_cone = material->parts[k].cone;
    has_port = has_port || !of_cone;
    add(of_cone ? cone : port, k);
    for (std::size_t i = 0; i < axis.size(); ++i)
      (of_cone ? cone_flow : port_flow)[i] += velocities[k][i];
    valid_to = std::min(valid_to, near_field_limit_hz(sources[k].radius_m, c));
  }
  const bool calibrated = material->calibrated;
  std::vector<Complex> sum(axis.size());
  std::vector<Complex> half(axis.size());
  for (std::size_t i = 0; i < axis.size(); ++i) {
    sum[i] = cone[i] + port[i];
    half[i] = sum[i] * reference / 2.0;  // Keele: a / 2r at r = 1 m
  }
  NearFields out{.cone = over(axis, cone, calibrated, valid_to),
                 .sum = over(axis, sum, calibrated, valid_to),
                 .half_space = over(axis, half, calibrated, valid_to),
                 .valid_to_hz = valid_to,
                 .drive_v = material->drive_v,
                 .calibrated = calibrated,
                 .notes = material->notes};
  if (has_port) out.port = over(axis, port, calibrated, valid_to);
  if (stop.stop_requested()) return cancelled();
  if (g.baffle) {
    std::vector<RadiatedPart> parts;
    for (std::size_t k = 0; k < sources.size(); ++k)
      parts.push_back({material->parts[k].place, sources[k].radius_m, velocities[k]});
    out.full_space =
        over(axis, radiated(g, parts, axis, {listener_m, 0.0, 0.0, {}}, c), calibrated, valid_to);
  } else {
    out.notes.emplace_back(
        "full_space_db: the cabinet's size is not told, so its edges cannot be computed.");
  }
  tell_tuning(out, *material, has_port, cone_flow, port_flow);
  tell_falls(out);
  tell_port(out, std::min(axis.back(), 2500.0), heard_itself(*material, sources, velocities, c));
  tell_others(out, sources, velocities, c, share);
  return out;
}

}  // namespace lalometer
