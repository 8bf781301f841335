#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"
#include "workbench/spin/angle_set.h"

/// Beamwidth, directivity index and left against right of the laid sets.
namespace lalometer {
namespace {

constexpr int kOneSet = 1;

/// One set: a colour for each curve; several: each set's own take's colour, its name on the curve.
struct Look {
  bool several;
  [[nodiscard]] int style(const LaidTake& one, int own) const {
    return several ? one.take.colour : own;
  }
  [[nodiscard]] std::string label(const LaidTake& one, const char* what) const {
    return several ? set_label(one) : std::string(what);
  }
};

LaneContent angle_lane(const char* title, LaneAxis left, const std::vector<LaidTake>& laid) {
  LaneContent content;
  content.title = title;
  content.left = std::move(left);
  content.empty_text = no_set_text(laid);
  return content;
}

LaneContent build_beamwidth(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content =
      angle_lane("Beamwidth",
                 {.quantity = AxisQuantity::kAngle, .unit = "°", .low = 0.0, .high = 360.0}, laid);
  const auto sets = shown_sets(laid, chosen);
  const Look look{sets.size() > kOneSet};
  double top = 0.0;
  for (const LaidTake* one : sets) {
    const AngleReading& r = *one->set->reading;
    for (const Plane plane : {Plane::kHorizontal, Plane::kVertical}) {
      const CircleReading& circle = r.circle(plane);
      if (circle.beamwidth_deg.empty()) continue;
      // Of several sets the horizontal circle alone.
      if (look.several && plane == Plane::kVertical) continue;
      const bool vertical = plane == Plane::kVertical;
      Series s = set_series(*one, circle.beamwidth_deg,
                            look.label(*one, vertical ? "vertical" : "horizontal"),
                            look.style(*one, vertical ? 1 : 0));
      s.chosen = one == sets.front() && !vertical;
      for (std::size_t i = 0; i < s.y.size(); ++i)
        if (std::isfinite(s.y[i]) && s.x[i] > 500.0) top = std::max(top, s.y[i]);
      content.add_curves().push_back(std::move(s));
    }
  }
  if (content.curves().empty()) return content;
  const CircleReading& first = sets.front()->set->reading->horizontal;
  if (!first.expected_deg.empty()) {
    Series s = set_series(*sets.front(), first.expected_deg, "drivers of this size", kModelStyle);
    content.add_curves().insert(content.add_curves().begin(), std::move(s));
  }
  hatch_invalid(content);
  content.left.high = std::clamp(std::ceil(top / 30.0) * 30.0 + 30.0, 120.0, 360.0);
  content.subtitle = fmt::format("full angle to {:.0f} dB below the axis", first.fall_db);
  std::vector<LaneMark> flags;
  for (const BeamChange& change : first.changes)
    flags.push_back({change.wider ? "wider" : "narrower", spoken(change), 0, change.where.at_hz,
                     change.where.at_hz});
  content.layers.emplace_back(FlagLayer{std::move(flags)});
  return content;
}

LaneContent build_index(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content = angle_lane("Directivity index",
                                   {.quantity = AxisQuantity::kLevel,
                                    .scale = AxisScale::kDecibel,
                                    .unit = "dB",
                                    .low = -2.0,
                                    .high = 18.0},
                                   laid);
  const auto sets = shown_sets(laid, chosen);
  const Look look{sets.size() > kOneSet};
  const auto put = [&](const LaidTake& one, const std::vector<double>& values, const char* what,
                       int style) {
    if (values.empty()) return;
    content.add_curves().push_back(
        set_series(one, values, look.label(one, what), look.style(one, style)));
  };
  for (const LaidTake* one : sets) {
    const AngleReading& r = *one->set->reading;
    const bool full = !r.spin.spin.sound_power_di_db.empty();
    put(*one, r.spin.spin.sound_power_di_db, "sound power", 1);
    if (!look.several) put(*one, r.spin.spin.early_reflections_di_db, "early reflections", 4);
    // Where the sphere is not carried, what one circle says of it.
    if (!look.several || !full)
      put(*one, r.horizontal.index.index_db,
          r.horizontal.index.reaches_deg < 179.5 ? "horizontal, estimate" : "horizontal", 0);
  }
  if (content.curves().empty()) {
    if (!sets.empty())
      content.empty_text = "An index needs angles to 60° at least, without gaps over 20°.";
    return content;
  }
  hatch_invalid(content);
  if (const auto range = extent(content.curves())) {
    content.left.low = std::min(-2.0, std::floor((range->first - 1.0) / 2.0) * 2.0);
    content.left.high = std::max(10.0, std::ceil((range->second + 1.0) / 2.0) * 2.0);
  }
  content.subtitle = "dB, listening window or axis over the mean of its angles";
  std::vector<LaneMark> flags;
  for (const IndexFeature& f : sets.front()->set->reading->features) {
    const std::string in = f.in == IndexFeature::In::kVertical     ? ", vertical"
                           : f.in == IndexFeature::In::kHorizontal ? ", horizontal"
                                                                   : "";
    flags.push_back({(f.height_db < 0.0 ? "dip" : "bump") + in, spoken(f), 0, f.at_hz, f.at_hz});
  }
  content.layers.emplace_back(FlagLayer{std::move(flags)});
  return content;
}

LaneContent build_asymmetry(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content = angle_lane("Left against right",
                                   {.quantity = AxisQuantity::kLevel,
                                    .scale = AxisScale::kDecibel,
                                    .unit = "dB",
                                    .low = -0.5,
                                    .high = 6.0},
                                   laid);
  const auto sets = shown_sets(laid, chosen);
  const Look look{sets.size() > kOneSet};
  for (const LaidTake* one : sets) {
    const AngleReading& r = *one->set->reading;
    if (!r.horizontal.asymmetry_db.empty())
      content.add_curves().push_back(set_series(*one, r.horizontal.asymmetry_db,
                                                look.label(*one, "left against right"),
                                                look.style(*one, 0)));
    if (!look.several && !r.vertical.asymmetry_db.empty())
      content.add_curves().push_back(
          set_series(*one, r.vertical.asymmetry_db, "up against down", look.style(*one, 1)));
  }
  if (content.curves().empty()) {
    if (!sets.empty()) content.empty_text = "No angle of the set was taken on both sides.";
    return content;
  }
  hatch_invalid(content);
  if (const auto range = extent(content.curves()))
    content.left.high = std::clamp(std::ceil(range->second / 2.0) * 2.0, 4.0, 20.0);
  content.subtitle = "dB rms over the angles that both sides have";
  return content;
}

/// The level along several axes, over one another.
LaneContent build_axes(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content = angle_lane("Listening axes",
                                   {.quantity = AxisQuantity::kLevel,
                                    .scale = AxisScale::kDecibel,
                                    .unit = "dB",
                                    .low = 50.0,
                                    .high = 100.0},
                                   laid);
  const auto sets = shown_sets(laid, chosen);
  if (sets.empty()) return content;
  const LaidTake& one = *sets.front();
  const AngleReading& r = *one.set->reading;
  std::vector<std::pair<double, double>> shown;
  const auto put = [&](double h, double v, const std::string& name, int style) {
    if (std::find(shown.begin(), shown.end(), std::pair(h, v)) != shown.end()) return;
    const auto level = level_along(r.taken->orbit, h, v);
    if (!level) return;
    shown.emplace_back(h, v);
    Series s = set_series(one, *level, name, style);
    s.x = {r.taken->orbit.axis().hz().begin(), r.taken->orbit.axis().hz().end()};
    s.chosen = style == 0;
    content.add_curves().push_back(std::move(s));
  };
  const auto named = [](double h, double v) {
    std::string text = h == 0.0 && v == 0.0 ? "as taken" : "";
    if (h != 0.0) text = fmt::format("{:.4g}° {}", std::abs(h), h > 0.0 ? "right" : "left");
    if (v != 0.0)
      text +=
          fmt::format("{}{:.4g}° {}", h != 0.0 ? ", " : "", std::abs(v), v > 0.0 ? "up" : "down");
    return text;
  };
  const AngleView& view = r.view;
  put(view.horizontal_axis_deg, view.vertical_axis_deg,
      named(view.horizontal_axis_deg, view.vertical_axis_deg), 0);
  put(0.0, 0.0, "as taken", 1);
  if (r.aim && r.aim->real())
    put(r.aim->best.horizontal_deg, r.aim->best.vertical_deg,
        "smoothest, " + named(r.aim->best.horizontal_deg, r.aim->best.vertical_deg), 3);
  // Parallel to the wall, heard from the usual triangle; standing up.
  put(30.0, 0.0, named(30.0, 0.0), 2);
  put(0.0, 15.0, named(0.0, 15.0), 4);
  hatch_invalid(content);
  if (const auto range = extent(content.curves())) fit_level_scale(content.left, *range);
  content.subtitle = set_label(one) + (r.taken->calibrated ? ", dB re 20 µPa" : ", dB, relative") +
                     "; between rays an estimate";
  return content;
}

std::vector<KeyFigure> beam_figures(const LaidTake& laid) {
  std::vector<KeyFigure> all;
  if (!laid.set || !laid.set->reading) return all;
  const AngleReading& r = *laid.set->reading;
  for (const Plane plane : {Plane::kHorizontal, Plane::kVertical}) {
    const CircleReading& circle = r.circle(plane);
    if (!circle.coverage) continue;
    all.push_back(
        {plane == Plane::kHorizontal ? "Coverage, horizontal" : "Coverage, vertical",
         fmt::format("{:.0f}°", circle.coverage->degrees),
         fmt::format("{} to {}, within a quarter", frequency_text(circle.coverage->from_hz),
                     frequency_text(circle.coverage->to_hz))});
  }
  std::string leaves;
  for (const auto& [degrees, from] : r.horizontal.separation_hz)
    if (from)
      leaves +=
          fmt::format("{}{:.0f}° {}", leaves.empty() ? "" : ", ", degrees, frequency_text(*from));
  if (!leaves.empty()) all.push_back({"Leaves the axis by 3 dB", "", leaves});
  return all;
}

std::string beam_at(const LaidTake& laid, double f, std::complex<double>) {
  if (!laid.set || !laid.set->reading) return "–";
  const AngleReading& r = *laid.set->reading;
  const FrequencyAxis& axis = r.material->orbit.axis();
  if (f < axis.front() || f > axis.back() || r.horizontal.beamwidth_deg.empty()) return "–";
  const double h = value_between(axis, r.horizontal.beamwidth_deg, f);
  const double v = r.vertical.beamwidth_deg.empty()
                       ? std::nan("")
                       : value_between(axis, r.vertical.beamwidth_deg, f);
  std::string text = std::isfinite(h) ? fmt::format("{:.0f}°", h) : std::string("–");
  if (std::isfinite(v)) text += fmt::format(" × {:.0f}°", v);
  return text;
}

}  // namespace

LaneKind lanes::beamwidth() {
  return {.id = "beamwidth",
          .title = "Beamwidth",
          .explained =
              "The full angle within which the level stays near the axis; dashed what "
              "drivers of this size would have.",
          .usual_weight = 0.6,
          .build = build_beamwidth,
          .needs = is_of_set,
          .at_cursor = beam_at,
          .figures = beam_figures,
          .shown_at_first = false,
          .wants_angles = true};
}

LaneKind lanes::directivity_index() {
  return {.id = "directivity-index",
          .title = "Directivity index",
          .explained = "How much louder straight ahead is than the mean over all directions.",
          .usual_weight = 0.6,
          .build = build_index,
          .needs = is_of_set,
          .shown_at_first = false,
          .wants_angles = true};
}

LaneKind lanes::asymmetry() {
  return {.id = "asymmetry",
          .title = "Left against right",
          .explained = "How far angles of one side differ from the same angles of the other.",
          .usual_weight = 0.5,
          .build = build_asymmetry,
          .needs = is_of_set,
          .shown_at_first = false,
          .wants_angles = true};
}

LaneKind lanes::listening_axes() {
  return {.id = "listening-axes",
          .title = "Listening axes",
          .explained =
              "The level along the chosen axis, the axis as taken, the smoothest one, 30° "
              "to the side and 15° up.",
          .usual_weight = 0.8,
          .build = build_axes,
          .needs = is_of_set,
          .shown_at_first = false,
          .wants_angles = true};
}

}  // namespace lalometer
