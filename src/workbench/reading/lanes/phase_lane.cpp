#include "workbench/reading/lane_parts.h"
#include "workbench/reading/lanes/lanes.h"

/// Phase of responses.
namespace lalometer {
namespace {

/// What the phases count from, and whether those of several takes may be held against each other.
std::string time_of(const std::vector<LaidTake>& laid) {
  const TimeOrigin* first = nullptr;
  bool alike = true;
  bool common = true;
  int count = 0;
  for (const LaidTake& one : laid) {
    if (!shows(one, TakeKind::kResponse) || !one.analysis->curve.has_phase()) continue;
    const TimeOrigin& origin = one.analysis->origin;
    if (first == nullptr) first = &origin;
    alike = alike && origin.source == first->source;
    // Whoever wrote a set's files is taken at his word.
    common = common && (is_common_time(origin) || origin.source == TimeOrigin::Source::kFile);
    ++count;
  }
  if (count < 2) return "zero " + basis_of(*first);
  if (!common) return "each from its own onset: not to be added or compared between takes";
  return alike ? "zero " + basis_of(*first) : "flight time removed";
}

LaneContent build(const std::vector<LaidTake>& laid, Id chosen) {
  LaneContent content;
  content.title = "Phase";
  content.left = {.quantity = AxisQuantity::kAngle, .unit = "°", .low = -180.0, .high = 180.0};
  content.empty_text = "No response with phase on the score.";
  for (const LaidTake& one : laid) {
    if (!shows(one, TakeKind::kResponse) || !one.analysis->curve.has_phase()) continue;
    const Response& curve = one.analysis->curve;
    Series s = series_for(one, laid, chosen);
    std::vector<double> phase;
    for (std::size_t i = 0; i < curve.size(); ++i) phase.push_back(curve.phase_deg(i));
    put_wrapped(s, phase);
    content.add_curves().push_back(std::move(s));
  }
  hatch_invalid(content);
  if (!content.curves().empty()) content.subtitle = "degrees, " + time_of(laid);
  return content;
}

}  // namespace

LaneKind lanes::phase() {
  return {.id = "phase",
          .title = "Phase",
          .explained = "Phase of the response with its flight time removed.",
          .usual_weight = 0.7,
          .build = build,
          .needs = is_response,
          .shown_at_first = false};
}

}  // namespace lalometer
