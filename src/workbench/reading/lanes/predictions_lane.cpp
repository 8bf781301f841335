#include <fmt/format.h>

#include <algorithm>

#include "workbench/design/predictions.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"

/// What sizes alone predict.
namespace lalometer {
namespace {

int style_of(PredictionGroup group) {
  switch (group) {
    case PredictionGroup::kBox:
      return 3;
    case PredictionGroup::kWave:
      return 1;
    case PredictionGroup::kEdge:
      return 0;
    case PredictionGroup::kStep:
      return 4;
    case PredictionGroup::kCrossover:
      return 5;
    case PredictionGroup::kBeaming:
      return 6;
    case PredictionGroup::kLimit:
      return 7;
  }
  return 7;
}

LaneContent build(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Predicted";
  content.empty_text =
      laid.empty() ? "Lay a take on the score: what its subject's sizes predict stands here."
                   : "Nothing is predicted: the subject has no sizes yet. Draw it (Ctrl+G), or "
                     "import a measurement set, which brings them.";
  const LaidTake* shown = nullptr;
  for (const LaidTake& one : laid) {
    if (one.geometry && (shown == nullptr || one.take.id == chosen)) shown = &one;
  }
  if (shown == nullptr) return content;
  PredictionContext context;
  for (const LaidTake& one : laid) {
    if (one.take.subject_id != shown->take.subject_id || !one.analysis || !one.analysis->impulse)
      continue;
    context.gate_s = one.analysis->gate_s.value_or(0.0);
    if (one.analysis->first_reflection_s)
      context.reflection_s = *one.analysis->first_reflection_s - one.analysis->arrival_s;
  }
  for (Prediction& p : predictions_of(*shown->geometry, context)) {
    content.layer<MarkLayer>().marks.push_back({.name = std::move(p.name),
                                                .sentence = std::move(p.sentence),
                                                .style = style_of(p.group),
                                                .low_hz = p.low_hz,
                                                .high_hz = p.high_hz});
  }
  if (!content.marks().empty())
    content.subtitle = "from sizes alone; hover to see each through all lanes";
  // Beside what is predicted what was found: the ripple of the chosen impedance, to be followed
  // too.
  for (const LaidTake& one : laid) {
    if (one.take.id != chosen || !one.reading) continue;
    for (const ExplainedWiggle& e : explained_loops(one, laid)) {
      const double f = e.wiggle.frequency_hz.value;
      content.layer<MarkLayer>().marks.push_back(
          {.name = "resonance",
           .sentence = fmt::format("Found in the impedance, {:.1f} % high: {}.",
                                   e.wiggle.height_percent, e.name),
           .style = kModelStyle,
           .low_hz = f,
           .high_hz = f});
      content.subtitle =
          "from sizes, and what was found in the impedance; hover to see each through all lanes";
    }
  }
  auto& marks = content.layer<MarkLayer>().marks;
  std::stable_sort(marks.begin(), marks.end(), [](const LaneMark& a, const LaneMark& b) {
    return a.centre_hz() < b.centre_hz();
  });
  return content;
}

}  // namespace

LaneKind lanes::predictions() {
  return {.id = "predictions",
          .title = "Predicted",
          .explained =
              "What sizes alone predict: edges, standing waves, port, crossover, beaming, limits.",
          .usual_weight = 0.9,
          .build = build,
          .needs = is_drawn};
}

}  // namespace lalometer
