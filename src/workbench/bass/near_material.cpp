#include "workbench/bass/near_material.h"

#include <algorithm>
#include <cmath>

#include "acoustics/spectrum/bode_phase.h"
#include "base/text.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

constexpr double kLowest_hz = 10.0;

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

Result<NearPart> part_named(const SubjectGeometry& g, const std::string& id,
                            const std::string& where) {
  NearPart part;
  const auto placed = [&](const std::string& panel, double x, double y) {
    part.place = {panel_of(panel).value_or(Panel::kFront), x, y};
    const double radius_m = part.source.radius_m;
    const int count = part.source.count;
    part.source = source_at(g, id, part.place);
    part.source.radius_m = radius_m;
    part.source.count = count;
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
    if (!(p.radius_m > 0.0))
      return bad_input(fmt::format("Nothing tells the area of \"{}\": say diameter_mm.", id),
                       where);
    part.source.radius_m = p.radius_m;
    part.source.count = p.count;
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
void note_untaken(const SubjectGeometry& g, NearMaterial& m) {
  const auto taken = [&](const std::string& id) {
    return std::any_of(m.parts.begin(), m.parts.end(),
                       [&](const NearPart& p) { return p.source.id == id; });
  };
  const auto note = [&](const std::string& id) {
    if (!taken(id))
      m.notes.push_back(fmt::format("There is no near field of {}: the sum lacks it.", id));
  };
  for (const SubjectPort& p : g.ports) note(p.id);
  for (const SubjectRadiator& r : g.radiators) note(r.id);
}

/// Equal woofers play alike: one that nobody held the microphone to counts like the one of its role
/// and size that was taken.
void count_twins(const SubjectGeometry& g, NearMaterial& m) {
  constexpr double kSameSize = 0.05;
  const auto taken = [&](const SubjectDriver& d) {
    return std::any_of(m.parts.begin(), m.parts.end(),
                       [&](const NearPart& p) { return p.source.id == d.id; });
  };
  for (const SubjectDriver& d : g.drivers) {
    if (taken(d) || !d.radius_m) continue;
    for (NearPart& p : m.parts) {
      const auto own = std::find_if(g.drivers.begin(), g.drivers.end(),
                                    [&](const SubjectDriver& o) { return o.id == p.source.id; });
      if (!p.cone || own == g.drivers.end() || own->role != d.role ||
          std::abs(p.source.radius_m / *d.radius_m - 1.0) > kSameSize)
        continue;
      ++p.source.count;
      m.notes.push_back(fmt::format("There is no near field of {}: it counts like {}, its equal.",
                                    d.id, p.source.id));
      break;
    }
  }
}

Response louder(const Response& curve, double factor) {
  std::vector<Complex> values = curve.values();
  for (Complex& v : values) v *= factor;
  return *Response::make(curve.axis(), std::move(values), curve.quantity(), curve.valid(),
                         curve.has_phase());
}

}  // namespace

NearSource source_at(const SubjectGeometry& g, const std::string& id, const PanelPlace& place) {
  NearSource s{.id = id, .placed = g.baffle.has_value(), .panel = static_cast<int>(place.panel)};
  if (!g.baffle) return s;
  const BafflePoint at = point_of(*g.baffle, g.origin_x_m, g.origin_y_m, place);
  s.x_m = at.x_m;
  s.y_m = at.y_m;
  s.z_m = at.z_m;
  return s;
}

Result<NearMaterial> near_material(const SubjectGeometry& g, const std::vector<NearTake>& takes,
                                   const std::string& where) {
  NearMaterial m;
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
                    [&](const NearPart& p) { return p.source.id == part->source.id; })) {
      m.notes.push_back(
          fmt::format("Of several near fields of {} the first counts.", part->source.id));
      continue;
    }
    part->source.microphone_m = setup->distance_mm / 1e3;
    Response curve = resampled(*each.curve, axis);
    const double drive = each.take->conditions.drive_v;
    if (drive != m.drive_v) {
      curve = louder(curve, m.drive_v / drive);
      m.notes.push_back(fmt::format("The near field of {} was brought from {} V to {} V.",
                                    part->source.id, three_digits(drive), three_digits(m.drive_v)));
    }
    phased = phased && curve.has_phase();
    common = common && each.origin.source != TimeOrigin::Source::kOnset;
    m.calibrated = m.calibrated && each.calibrated;
    m.parts.push_back(*std::move(part));
    m.pressures.push_back(std::move(curve));
    m.noises.push_back(each.noise == nullptr ? std::nullopt
                                             : std::optional(louder(resampled(*each.noise, axis),
                                                                    m.drive_v / drive)));
  }
  note_untaken(g, m);
  count_twins(g, m);
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
  if (std::none_of(m.parts.begin(), m.parts.end(), [](const NearPart& p) { return p.cone; }))
    return bad_input("No near field of a cone was found here.", where);
  return m;
}

CrosstalkShare share_of_others(NearMaterial& m, const std::vector<NearSource>& sources, double c) {
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
  if (!ported || !placed) return {.value = 1.0, .half_width = 0.0};
  const Response& heard = m.pressures[first];
  const auto least = least_movement_hz(level_run(heard, 24), 1.2 * heard.axis().front(),
                                       0.5 * near_field_limit_hz(sources[first].radius_m, c));
  std::optional<double> middle = least;
  if (!middle) {
    // A leaky box's cone hardly dips; its port still plays most near the tuning.
    double loudest = -1e9;
    for (std::size_t k = 0; k < m.parts.size(); ++k) {
      if (m.parts[k].cone) continue;
      const Response run = level_run(m.pressures[k], 12);
      for (std::size_t i = 0; i < run.size(); ++i) {
        const double f = run.axis()[i];
        if (f < 1.2 * run.axis().front() ||
            f > 0.25 * near_field_limit_hz(sources[first].radius_m, c) ||
            run.level_db(i) <= loudest)
          continue;
        loudest = run.level_db(i);
        middle = f;
      }
    }
  }
  const CrosstalkShare share =
      middle ? crosstalk_share(sources, m.pressures, cone, *middle, c) : CrosstalkShare{};
  if (!share.told)
    m.notes.emplace_back(
        "What the parts add at one another's microphones was taken out as cabinets usually have "
        "it: "
        "the takes themselves do not tell how much there is.");
  m.share_told = share.told;
  return share;
}

}  // namespace lalometer
