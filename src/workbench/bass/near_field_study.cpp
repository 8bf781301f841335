#include <algorithm>
#include <cmath>

#include "acoustics/baffle/panel.h"
#include "acoustics/open_baffle/shallow_box.h"
#include "base/constants.h"
#include "workbench/bass/near_material.h"

namespace lalometer {

using Complex = std::complex<double>;

std::vector<Complex> radiated(const SubjectGeometry& g, const std::vector<RadiatedPart>& parts,
                              const FrequencyAxis& axis, const Placement& where, double c) {
  std::vector<Complex> sum(axis.size(), 0.0);
  // Edges bend slowly over frequency: 20 points an octave are plenty.
  const FrequencyAxis coarse = FrequencyAxis::logarithmic(axis.front(), axis.back(), 20.0);
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
    const Response bent = *Response::make(
        coarse, box_response(*box, *piston, face.at, coarse, c, DiffractionEffort::kFine),
        Quantity::kRatio, {coarse.front(), coarse.back()}, true);
    const std::vector<Complex> edges = resampled(bent, axis).values();
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

std::optional<Response> full_space_at(const NearFields& n, const SubjectGeometry& g,
                                      const Placement& where, double c) {
  if (!g.baffle) return std::nullopt;
  const FrequencyAxis& axis = n.sum.axis();
  return pressure_over(axis, radiated(g, n.parts, axis, where, c), n.calibrated, n.valid_to_hz)
      .with_valid({std::max(n.valid_from_hz, axis.front()), std::min(n.valid_to_hz, axis.back())});
}

Result<NearFields> near_fields_of(const SubjectGeometry& g, const std::vector<NearTake>& takes,
                                  const std::string& where, std::stop_token stop,
                                  double listener_m) {
  auto material = near_material(g, takes, where);
  if (!material) return tl::unexpected(material.error());
  const FrequencyAxis axis = material->pressures.front().axis();
  const double c = speed_of_sound_m_s(takes.front().take->conditions.temperature_c);
  std::vector<NearSource> sources;
  for (const NearPart& part : material->parts) sources.push_back(part.source);
  const CrosstalkShare share = share_of_others(*material, sources, c);
  const auto velocities = volume_velocities(sources, material->pressures, c, share.value);
  const auto first =
      static_cast<std::size_t>(std::find_if(material->parts.begin(), material->parts.end(),
                                            [](const NearPart& p) { return p.cone; }) -
                               material->parts.begin());
  const double reference = sources[first].radius_m;
  const auto add = [&](std::vector<Complex>& to, std::size_t part) {
    for (std::size_t i = 0; i < axis.size(); ++i)
      to[i] += Complex(0.0, 2.0 * kPi * axis[i]) * kAirDensity_kg_m3 * velocities[part][i] /
               (kPi * reference);
  };
  std::vector<Complex> cone(axis.size(), 0.0);
  std::vector<Complex> port(axis.size(), 0.0);
  bool has_port = false;
  double valid_to = 1e9;
  for (std::size_t k = 0; k < sources.size(); ++k) {
    const bool of_cone = material->parts[k].cone;
    has_port = has_port || !of_cone;
    add(of_cone ? cone : port, k);
    valid_to = std::min(valid_to, near_field_limit_hz(sources[k].radius_m, c));
  }
  const bool calibrated = material->calibrated;
  std::vector<Complex> sum(axis.size());
  std::vector<Complex> half(axis.size());
  for (std::size_t i = 0; i < axis.size(); ++i) {
    sum[i] = cone[i] + port[i];
    half[i] = sum[i] * reference / 2.0;  // Keele: a / 2r at r = 1 m
  }
  NearFields out{.cone = pressure_over(axis, cone, calibrated, valid_to),
                 .sum = pressure_over(axis, sum, calibrated, valid_to),
                 .half_space = pressure_over(axis, half, calibrated, valid_to),
                 .valid_to_hz = valid_to,
                 .drive_v = material->drive_v,
                 .calibrated = calibrated,
                 .notes = material->notes};
  if (has_port) out.port = pressure_over(axis, port, calibrated, valid_to);
  if (stop.stop_requested()) return cancelled();
  for (std::size_t k = 0; k < sources.size(); ++k)
    out.parts.push_back({material->parts[k].place, sources[k].radius_m, velocities[k]});
  tell_noise(out, *material, sources, c);
  if (g.baffle) {
    out.full_space = full_space_at(out, g, {listener_m, 0.0, 0.0, {}}, c);
  } else {
    out.notes.emplace_back(
        "full_space_db: the cabinet's size is not told, so its edges cannot be computed.");
  }
  tell_near_fields(out, *material, sources, velocities, c, share);
  return out;
}

}  // namespace lalometer
