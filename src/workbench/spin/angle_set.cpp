#include "workbench/spin/angle_set.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "base/text.h"
#include "workbench/level/level_nodes.h"

namespace lalometer {
namespace {

// Raised whenever the same inputs give another result.
constexpr int kOrbitVersion = 2;
constexpr int kReadingVersion = 2;
constexpr int kAdviceVersion = 1;

std::string words_of(const AngleView& v) {
  return fmt::format("{} {} {} {} {} {}", v.horizontal_axis_deg, v.vertical_axis_deg, v.fall_db,
                     v.mirror, v.extend, v.draft);
}

std::size_t bytes_of(const OrbitMaterial& m) {
  return (m.orbit.rays(Plane::kHorizontal).size() + m.orbit.rays(Plane::kVertical).size()) *
         m.orbit.axis().size() * 24;
}

}  // namespace

std::string spoken_limits(const Orbit& orbit) {
  const auto count = [&](Plane plane) {
    std::size_t n = 0;
    for (const Orbit::Ray& ray : orbit.rays(plane)) n += ray.mirrored ? 0 : 1;
    return n;
  };
  const std::size_t h = count(Plane::kHorizontal);
  const std::size_t v = count(Plane::kVertical);
  if (h + v >= 35) return {};
  double reach = 0.0;
  for (const Orbit::Ray& ray : orbit.rays(Plane::kHorizontal))
    reach = std::max(reach, std::abs(ray.degrees));
  std::string text = fmt::format(
      "{} horizontal and {} vertical angles carry: separation, deviation from the axis, coverage "
      "as far as {:.0f}°",
      h, v, reach);
  text += reach >= 59.5 ? ", a horizontal index as an estimate over that cap." : ".";
  text += v < 3 ? " They do not carry: sound power, early reflections, the in-room estimate, the "
                  "rating, and anything vertical."
                : " They do not carry: sound power, and averages whose angles are missing.";
  return text;
}

OrbitMaterial turned_material(const OrbitMaterial& m, double horizontal_deg, double vertical_deg) {
  OrbitMaterial out = m;
  if (horizontal_deg == 0.0 && vertical_deg == 0.0) return out;
  out.orbit = turned(m.orbit, horizontal_deg, vertical_deg);
  out.alone.clear();
  const double error = turning_error_db(m.orbit, horizontal_deg, vertical_deg);
  out.notes.push_back(fmt::format(
      "Turned to the axis {:+.4g}° horizontally, {:+.4g}° vertically{}; other directions off the "
      "two circles are estimated from both (in dB, by the roll).",
      horizontal_deg, vertical_deg,
      error > 0.0 ? fmt::format(", where levels are known within ±{:.1f} dB", error)
                  : std::string()));
  return out;
}

BeamForetold foretold_of(const OrbitMaterial& m, double fall_db) {
  if (!m.geometry) return {};
  const auto of = [&](Plane plane) {
    return beam_models(*m.geometry, plane, fall_db, m.distance_m, m.speed_of_sound_m_s);
  };
  return {of(Plane::kHorizontal), of(Plane::kVertical)};
}

AngleReading angle_reading(std::shared_ptr<const OrbitMaterial> taken, const AngleView& view,
                           const BeamForetold& foretold, const Parallel& parallel) {
  AngleReading r;
  r.view = view;
  r.taken = taken;
  r.material = view.turned() ? std::make_shared<const OrbitMaterial>(turned_material(
                                   *taken, view.horizontal_axis_deg, view.vertical_axis_deg))
                             : taken;
  const OrbitMaterial& m = *r.material;
  // The models look along the loudspeaker's own axis.
  const BeamForetold none;
  const BeamForetold& models = view.turned() || view.draft ? none : foretold;
  r.spin = spin_reading(m, !view.draft, parallel);
  // The longest first, so that none is left alone at the end.
  const std::function<void()> parts[] = {
      [&] {
        if (!view.draft) r.aim = best_axis(taken->orbit);
      },
      [&] {
        if (!view.draft) r.features = index_features(m.orbit, r.spin.spin);
      },
      [&] {
        r.horizontal = circle_reading(m, Plane::kHorizontal, view.fall_db, models.horizontal);
      },
      [&] { r.vertical = circle_reading(m, Plane::kVertical, view.fall_db, models.vertical); },
      [&] {
        if (view.draft) return;
        r.rating_changes = rating_changes(m.orbit, r.spin.spin, r.spin.preference);
        if (view.turned()) return;
        r.lobes = lobe_readings(*taken);
        r.windows = crossover_windows(*taken);
      }};
  parallel(std::size(parts), [&](std::size_t i) { parts[i](); });
  if (std::string limits = spoken_limits(m.orbit); !limits.empty())
    r.notes.push_back(std::move(limits));
  return r;
}

AngleMembers angle_members(const std::vector<Take>& takes, const Take& of) {
  AngleMembers all;
  if (!is_of_an_orbit(of) || !has_curve(of)) return all;
  for (const Take& t : takes) {
    if (!t.accepted || t.variant_id != of.variant_id || t.subject_id != of.subject_id ||
        !has_curve(t) || t.conditions.sample != of.conditions.sample)
      continue;
    if (t.kind() == TakeKind::kNearField) all.near.push_back(&t);
    if (!is_of_an_orbit(t)) continue;
    if (t.conditions.driver == of.conditions.driver) all.far.push_back(&t);
    if (is_driver_alone_ahead(t)) all.alone.push_back(&t);
  }
  if (all.far.size() < 2) return {};
  return all;
}

Node<OrbitMaterial> orbit_node(const AngleSetInputs& in, const AngleView& view) {
  std::vector<std::string> keys = {fmt::format("{} {}", view.mirror, view.extend), in.drawing};
  std::vector<Node<Analysis>> curves;
  for (const auto* part : {&in.far, &in.near, &in.alone}) {
    keys.push_back(fmt::format("{}", part->size()));
    for (const TakeInputs& one : *part) {
      curves.push_back(curve_node(one));
      keys.push_back(curves.back().key);
    }
  }
  return {node_key("orbit", kOrbitVersion, keys),
          [in, curves = std::move(curves), view](const Making& making) -> Result<OrbitMaterial> {
            std::vector<std::optional<Result<std::shared_ptr<const Analysis>>>> made(curves.size());
            making.parallel(curves.size(), [&](std::size_t i) {
              made[i] = making.store.get(curves[i], Making{making.store, making.stop});
            });
            for (const auto& one : made)
              if (!*one) return tl::unexpected(one->error());
            AngleTakes takes;
            std::vector<std::shared_ptr<const DistortionReading>> distortions;
            std::size_t k = 0;
            const auto put = [&](const std::vector<TakeInputs>& from, std::vector<AngleTake>& to) {
              for (const TakeInputs& one : from) {
                const Analysis& a = ***made[k++];
                to.push_back({&one.take, &a.curve, a.origin, a.calibrated});
                if (&from == &in.near || !tells_strain(one.take)) continue;
                const auto read = making.store.get(distortion_node(one), making);
                if (!read) continue;  // too narrow or too noisy to tell
                distortions.push_back(*read);
                to.back().distortion = read->get();
              }
            };
            put(in.far, takes.far);
            put(in.near, takes.near);
            put(in.alone, takes.alone);
            OrbitWish wish;
            wish.mirror = view.mirror;
            wish.extend = view.extend;
            return orbit_material(takes, in.geometry ? std::optional(*in.geometry) : std::nullopt,
                                  wish, in.far.front().take.name, {}, making.parallel);
          },
          bytes_of};
}

namespace {

/// By the drawing, the distance and the fall alone: it stays while gates and axes are moved.
Node<BeamForetold> foretold_node(const AngleSetInputs& in, const Node<OrbitMaterial>& orbit,
                                 double fall_db) {
  const Placement place = place_of(in.far.front().take);
  return {node_key("foretold", kReadingVersion,
                   {in.drawing, fmt::format("{} {} {}", fall_db, place.distance_m,
                                            in.far.front().take.conditions.temperature_c)}),
          [orbit, fall_db](const Making& making) {
            return making.store.get(orbit, making)
                .map([&](const std::shared_ptr<const OrbitMaterial>& material) {
                  return foretold_of(*material, fall_db);
                });
          },
          [](const BeamForetold&) { return std::size_t{65536}; }};
}

}  // namespace

Node<AngleReading> angles_node(const AngleSetInputs& in, const AngleView& view) {
  Node<OrbitMaterial> orbit = orbit_node(in, view);
  Node<BeamForetold> foretold = foretold_node(in, orbit, view.fall_db);
  std::string key = node_key("angles", kReadingVersion, {orbit.key, words_of(view)});
  return {std::move(key),
          [orbit = std::move(orbit), foretold = std::move(foretold),
           view](const Making& making) -> Result<AngleReading> {
            const auto material = making.store.get(orbit, making);
            if (!material) return tl::unexpected(material.error());
            if (view.draft || view.turned())
              return angle_reading(*material, view, {}, making.parallel);
            return making.store.get(foretold, making)
                .map([&](const std::shared_ptr<const BeamForetold>& told) {
                  return angle_reading(*material, view, *told, making.parallel);
                });
          },
          [](const AngleReading& r) { return 2 * bytes_of(*r.material); }};
}

Node<EqualiseAdvice> advice_node(const AngleSetInputs& in, const AngleView& view,
                                 const EqualiseWish& wish) {
  Node<OrbitMaterial> orbit = orbit_node(in, view);
  std::vector<std::string> keys = {
      orbit.key, words_of(view),
      fmt::format("{} {} {} {} {} {} {}", static_cast<int>(wish.of), wish.slope,
                  wish.from_hz.value_or(0.0), wish.to_hz.value_or(0.0), wish.filters,
                  wish.max_boost_db, wish.sample_rate_hz)};
  for (const double level : wish.target_db) keys.push_back(shortest(level));
  std::string key = node_key("advice", kAdviceVersion, keys);
  return {std::move(key),
          [orbit = std::move(orbit), view, wish](const Making& making) {
            return making.store.get(orbit, making)
                .and_then([&](const std::shared_ptr<const OrbitMaterial>& material) {
                  return equalise_advice(
                      turned_material(*material, view.horizontal_axis_deg, view.vertical_axis_deg),
                      wish, "");
                });
          },
          [](const EqualiseAdvice& a) { return 4096 + a.before_db.size() * 24; }};
}

}  // namespace lalometer
