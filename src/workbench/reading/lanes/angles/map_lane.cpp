#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"
#include "workbench/spin/angle_set.h"

/// Levels over frequency and angle as a map: horizontal, vertical, and the difference of two sets.
namespace lalometer {
namespace {

constexpr double kStep_deg = 5.0;
/// Wider gaps between rays are left empty.
constexpr double kWidest_deg = 30.5;

/// What the levels are held against; empty where the set does not have it.
std::vector<double> reference_of(const AngleReading& r, Plane plane, const MapLook& look) {
  const Orbit& orbit = r.material->orbit;
  switch (look.reference) {
    case MapReference::kNothing:
      return std::vector<double>(orbit.axis().size(), 0.0);
    case MapReference::kListeningWindow:
      return r.spin.spin.listening_window_db;
    case MapReference::kAngle:
      return orbit.level_at(plane, look.degrees, kWidest_deg).value_or(std::vector<double>{});
    default:
      return r.spin.spin.on_axis_db;
  }
}

std::string spoken(const MapLook& look) {
  switch (look.reference) {
    case MapReference::kNothing:
      return "levels as they are";
    case MapReference::kListeningWindow:
      return "re the listening window";
    case MapReference::kAngle:
      return fmt::format("re {:+.0f}°", look.degrees);
    default:
      return "re the axis";
  }
}

struct Rows {
  std::vector<double> degrees;
  std::vector<std::vector<double>> level_db;  ///< empty: not taken
};
/// Even steps over what was taken, by straight lines between rays.
Rows rows_of(const Orbit& orbit, Plane plane) {
  Rows rows;
  if (orbit.rays(plane).size() < 2) return rows;
  const double low = orbit.rays(plane).front().degrees;
  const double high = orbit.rays(plane).back().degrees;
  const double from = high > 179.5 ? -180.0 : low;
  for (double d = std::ceil(from / kStep_deg) * kStep_deg; d <= high + 0.01; d += kStep_deg) {
    rows.degrees.push_back(d);
    rows.level_db.push_back(orbit.level_at(plane, d, kWidest_deg).value_or(std::vector<double>{}));
  }
  return rows;
}

ValueMap map_over(const FrequencyAxis& axis, const Rows& rows,
                  const std::function<float(std::size_t row, std::size_t i)>& value) {
  ValueMap map;
  map.x = {axis.hz().begin(), axis.hz().end()};
  map.rows = rows.degrees;
  map.values.reserve(map.rows.size() * map.x.size());
  for (std::size_t r = 0; r < map.rows.size(); ++r)
    for (std::size_t i = 0; i < map.x.size(); ++i)
      map.values.push_back(rows.level_db[r].empty() ? static_cast<float>(map.low) : value(r, i));
  return map;
}

LaneContent empty_map(const char* title, const std::vector<LaidTake>& laid) {
  LaneContent content;
  content.title = title;
  content.left = {.quantity = AxisQuantity::kAngle, .unit = "°", .low = -180.0, .high = 180.0};
  content.empty_text = no_set_text(laid);
  return content;
}

void put_validity(LaneContent& content, const OrbitMaterial& m) {
  InvalidBand below{.high = m.orbit.valid().low_hz};
  if (m.orbit.valid().low_hz > 0.0)
    below.text = fmt::format("below {}", frequency_text(m.orbit.valid().low_hz));
  content.layer<BandLayer>().bands = {below, {.low = m.orbit.valid().high_hz}};
}

LaneContent build_map(const std::vector<LaidTake>& laid, Id chosen, Plane plane) {
  LaneContent content =
      empty_map(plane == Plane::kHorizontal ? "Angles, horizontal" : "Angles, vertical", laid);
  const auto sets = shown_sets(laid, chosen);
  if (sets.empty()) return content;
  const AngleReading& r = *sets.front()->set->reading;
  const Orbit& orbit = r.material->orbit;
  const MapLook& look = sets.front()->set->look;
  const std::vector<double> reference = reference_of(r, plane, look);
  const Rows rows = rows_of(orbit, plane);
  if (rows.degrees.size() < 2) {
    content.empty_text = plane == Plane::kHorizontal
                             ? "The set has no horizontal circle."
                             : "The set has no vertical circle: tilt the loudspeaker, or lay it on "
                               "its side, and turn it again.";
    return content;
  }
  if (reference.empty()) {
    content.empty_text = "The set does not have what the map is held against: an angle is missing.";
    return content;
  }
  ValueMap map = map_over(orbit.axis(), rows, [&](std::size_t row, std::size_t i) {
    return static_cast<float>(rows.level_db[row][i] - reference[i]);
  });
  map.high = 3.0;
  if (look.reference == MapReference::kNothing) {
    double top = -1e9;
    for (std::size_t k = 0; k < map.values.size(); ++k)
      if (orbit.valid().contains(map.x[k % map.x.size()]))
        top = std::max(top, static_cast<double>(map.values[k]));
    map.high = std::ceil(top / 3.0) * 3.0;
  }
  map.low = map.high - 33.0;
  content.left.low = rows.degrees.front();
  content.left.high = rows.degrees.back();
  content.subtitle = set_label(*sets.front()) + ", dB " + spoken(look);
  if (r.view.turned())
    content.subtitle += fmt::format("; turned to {:+.4g}° / {:+.4g}°", r.view.horizontal_axis_deg,
                                    r.view.vertical_axis_deg);
  if (sets.size() > 1) content.subtitle += "; the chosen take's set";
  content.layers.emplace_back(std::move(map));
  content.layers.emplace_back(ContourLayer{3.0});
  put_validity(content, *r.material);
  std::vector<LaneMark> flags;
  for (const BeamChange& change : r.circle(plane).changes)
    flags.push_back({change.wider ? "wider" : "narrower", lalometer::spoken(change), 0,
                     change.where.at_hz, change.where.at_hz});
  content.layers.emplace_back(FlagLayer{std::move(flags)});
  return content;
}

LaneContent build_difference(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content = empty_map("Angles, difference", laid);
  const auto sets = shown_sets(laid, chosen);
  if (sets.size() < 2) {
    if (!sets.empty())
      content.empty_text =
          "One set of angles lies on the score: lay a take of a second loudspeaker or variant.";
    return content;
  }
  const Orbit& a = sets[0]->set->reading->material->orbit;
  const Orbit& b = sets[1]->set->reading->material->orbit;
  Rows rows;
  std::vector<std::vector<double>> other;
  for (double d = -180.0; d <= 180.0; d += kStep_deg) {
    auto own = a.level_at(Plane::kHorizontal, d, kWidest_deg);
    auto its = b.level_at(Plane::kHorizontal, d, kWidest_deg);
    if (!own || !its) {
      if (rows.degrees.empty()) continue;
      if (d > 0.0) break;
    }
    rows.degrees.push_back(d);
    rows.level_db.push_back(own && its ? *std::move(own) : std::vector<double>{});
    other.push_back(own && its ? *std::move(its) : std::vector<double>{});
  }
  if (rows.degrees.size() < 2) {
    content.empty_text = "The two sets share no angles.";
    return content;
  }
  ValueMap map = map_over(a.axis(), rows, [&](std::size_t row, std::size_t i) {
    const double f = a.axis()[i];
    if (f < b.axis().front() || f > b.axis().back()) return 0.0F;
    return static_cast<float>(rows.level_db[row][i] - value_between(b.axis(), other[row], f));
  });
  map.low = -9.0;
  map.high = 9.0;
  content.left.low = rows.degrees.front();
  content.left.high = rows.degrees.back();
  content.subtitle =
      fmt::format("{} less {}, dB, horizontal", set_label(*sets[0]), set_label(*sets[1]));
  content.layers.emplace_back(std::move(map));
  content.layers.emplace_back(ContourLayer{3.0});
  put_validity(content, *sets[0]->set->reading->material);
  return content;
}

/// Levels to both sides at the cursor, held against the same as the map.
std::string levels_at(const LaidTake& laid, double f, Plane plane) {
  if (!laid.set || !laid.set->reading) return "–";
  const AngleReading& r = *laid.set->reading;
  const FrequencyAxis& axis = r.material->orbit.axis();
  const std::vector<double> reference = reference_of(r, plane, laid.set->look);
  if (reference.empty() || f < axis.front() || f > axis.back()) return "–";
  std::string text;
  for (const double d : {30.0, 60.0}) {
    double sum = 0.0;
    double sides = 0.0;
    for (const double angle : {d, -d}) {
      const auto level = r.material->orbit.level_at(plane, angle, kWidest_deg);
      if (!level) continue;
      sum += value_between(axis, *level, f) - value_between(axis, reference, f);
      sides += 1.0;
    }
    if (sides > 0.0)
      text += fmt::format("{}±{:.0f}° {:.1f}", text.empty() ? "" : "  ", d, sum / sides);
  }
  return text.empty() ? "–" : text + " dB";
}

LaneKind kind_of(const char* id, const char* title, const char* explained,
                 LaneContent (*build)(const std::vector<LaidTake>&, Id),
                 std::string (*at_cursor)(const LaidTake&, double, std::complex<double>)) {
  return {.id = id,
          .title = title,
          .explained = explained,
          .usual_weight = 0.9,
          .build = build,
          .needs = is_of_set,
          .at_cursor = at_cursor,
          .shown_at_first = false,
          .wants_angles = true};
}

}  // namespace

LaneKind lanes::angles_horizontal() {
  return kind_of(
      "angles-horizontal", "Angles, horizontal",
      "Level over frequency and angle to the side, with lines of equal level: where the "
      "beam narrows stands under the dip it explains.",
      [](const std::vector<LaidTake>& laid, Id chosen) {
        return build_map(laid, chosen, Plane::kHorizontal);
      },
      [](const LaidTake& laid, double f, std::complex<double>) {
        return levels_at(laid, f, Plane::kHorizontal);
      });
}

LaneKind lanes::angles_vertical() {
  return kind_of(
      "angles-vertical", "Angles, vertical",
      "The same over the angle upward: where two drivers overlap, lobes and nulls.",
      [](const std::vector<LaidTake>& laid, Id chosen) {
        return build_map(laid, chosen, Plane::kVertical);
      },
      [](const LaidTake& laid, double f, std::complex<double>) {
        return levels_at(laid, f, Plane::kVertical);
      });
}

LaneKind lanes::angles_difference() {
  return kind_of("angles-difference", "Angles, difference",
                 "The chosen set's levels less another's, angle by angle: two loudspeakers, or "
                 "before and after.",
                 build_difference, nullptr);
}

}  // namespace lalometer
