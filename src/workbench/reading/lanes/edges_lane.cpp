#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"

/// What edges do to each driver, modelled.
namespace lalometer {
namespace {

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
