#include "base/text.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"
#include "workbench/studies/curve_studies.h"

/// What edges do to each driver, modelled.
namespace lalometer {
namespace {

/// Each measured dip and peak with the predicted one that belongs to it, if there is one.
void add_pairs(LaneContent& content, const Explained& explained) {
  FlagLayer layer;
  for (const Explained::Pair& pair : explained.pairs) {
    const char* what = pair.measured.level_db < 0.0 ? "dip" : "peak";
    const double f = pair.measured.frequency_hz;
    layer.flags.push_back(
        {.name = pair.predicted ? fmt::format("{} {}", what, frequency_text(f))
                                : fmt::format("{} {}: not an edge", what, frequency_text(f)),
         .sentence =
             pair.predicted
                 ? fmt::format("{:+.1f} dB here; the model has {:+.1f} dB at {}.",
                               pair.measured.level_db, pair.predicted->level_db,
                               frequency_text(pair.predicted->frequency_hz))
                 : fmt::format("{:+.1f} dB that the edges do not predict.", pair.measured.level_db),
         .style = pair.predicted ? kModelStyle : 1,
         .low_hz = f,
         .high_hz = f});
  }
  if (!layer.flags.empty()) content.layers.emplace_back(std::move(layer));
}

/// A driver in its box against the same in a large baffle, where both lie on the score.
void add_measured(LaneContent& content, const std::vector<LaidTake>& laid, Id subject) {
  const auto on_axis = [&](const LaidTake& one, bool large) {
    const Placement place = place_of(one.take);
    return shows(one, TakeKind::kResponse) && one.take.kind() == TakeKind::kResponse &&
           one.take.subject_id == subject && place.horizontal_deg == 0.0 &&
           place.vertical_deg == 0.0 && (condition_of(one.take) == "large-baffle") == large;
  };
  for (const LaidTake& large : laid) {
    if (!on_axis(large, true) || !large.geometry) continue;
    for (const LaidTake& boxed : laid) {
      if (!on_axis(boxed, false) || (!boxed.take.conditions.driver.empty() &&
                                     boxed.take.conditions.driver != large.take.conditions.driver))
        continue;
      const auto measured =
          measured_edges(*large.geometry, large.take.conditions.driver, boxed.analysis->curve,
                         large.analysis->curve, place_of(boxed.take).distance_m);
      if (!measured) continue;
      Series s = series_for(boxed, laid, boxed.take.id);
      s.label = "measured, in the box less in the large baffle";
      s.x = measured->difference.frequency_hz;
      s.y = measured->difference.level_db;
      s.spread = measured->difference.half_width_db;
      content.add_curves().push_back(std::move(s));
      content.subtitle = measured->told;
      add_pairs(content, measured->explained);
      return;
    }
  }
}

/// The same driver in two drawings (moved, other wings, another cabinet): what was measured to
/// differ against what their models differ by.
void add_two_drawings(LaneContent& content, const std::vector<LaidTake>& laid, const LaidTake& of) {
  const auto on_axis = [](const LaidTake& one) {
    const Placement place = place_of(one.take);
    return one.model && shows(one, TakeKind::kResponse) && one.take.kind() == TakeKind::kResponse &&
           place.horizontal_deg == 0.0 && place.vertical_deg == 0.0;
  };
  if (!on_axis(of)) return;
  for (const LaidTake& from : laid) {
    if (!on_axis(from) || from.take.subject_id == of.take.subject_id ||
        from.take.conditions.driver != of.take.conditions.driver)
      continue;
    auto difference = difference_of(of.analysis->curve, from.analysis->curve);
    if (!difference) continue;
    const auto own = FrequencyAxis::make(of.model->frequency_hz);
    const auto other = FrequencyAxis::make(from.model->frequency_hz);
    if (!own || !other) continue;
    std::vector<double> model;
    for (const double f : difference->frequency_hz)
      model.push_back(value_between(*own, of.model->level_db, f) -
                      value_between(*other, from.model->level_db, f));
    const Explained explained = explained_by(*difference, model);
    Series measured = series_for(of, laid, of.take.id);
    measured.label = "measured, less " + series_label(from, laid);
    measured.x = difference->frequency_hz;
    measured.y = difference->level_db;
    measured.spread = difference->half_width_db;
    Series modelled;
    modelled.label = "the drawings differ by";
    modelled.style = kModelStyle;
    modelled.x = difference->frequency_hz;
    modelled.y = model;
    content.add_curves() = {std::move(modelled), std::move(measured)};
    content.subtitle = fmt::format("the drawings explain {:.1f} of {:.1f} dB rms",
                                   explained.explained_db, explained.total_db);
    add_pairs(content, explained);
    return;
  }
}

LaneContent build(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Edges";
  content.left = {.quantity = AxisQuantity::kLevel,
                  .scale = AxisScale::kDecibel,
                  .unit = "dB",
                  .low = -8.0,
                  .high = 6.0};
  content.empty_text =
      "No model of the edges: the subject's drawing (Plan) needs a baffle and a driver on it.";
  const LaidTake* shown = nullptr;
  for (const LaidTake& one : laid) {
    if (one.model && (shown == nullptr || one.take.id == chosen)) shown = &one;
  }
  if (shown == nullptr) return content;
  int style = 0;
  for (const ModelledCurves::Edges& edges : shown->model->edges) {
    Series s;
    s.label = edges.driver;
    s.style = style++;
    s.x = shown->model->frequency_hz;
    s.y = edges.level_db;
    content.add_curves().push_back(std::move(s));
  }
  if (!content.curves().empty())
    content.subtitle = "modelled on the 0° axis at 1 m, dB re an infinite baffle";
  add_measured(content, laid, shown->take.subject_id);
  add_two_drawings(content, laid, *shown);
  return content;
}

}  // namespace

LaneKind lanes::edges() {
  return {.id = "edges",
          .title = "Edges",
          .explained =
              "What the box's edges do to each driver, modelled from its drawing: leave such dips "
              "alone, they change with the angle.",
          .usual_weight = 0.7,
          .build = build,
          .needs = is_drawn,
          .shown_at_first = false,
          .wants_models = true};
}

}  // namespace lalometer
