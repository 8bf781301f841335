#pragma once

#include "acoustics/placement/stand.h"
#include "workbench/taking/plan/measuring_plan.h"

namespace lalometer {

enum class PlanState { kMissing, kDone, kStale, kSkipped };
struct PlanStatus {
  PlanState state = PlanState::kMissing;
  Id take_id = 0;
  std::string why;  ///< of a stale one: what is different now
};
/// How each take of a plan stands, from the takes alone: nothing else has to survive a crash.
/// Stale: what was taken differs from what is wanted now, or the subject was drawn anew since.
/// @param drawing  mark of the subject's drawing as it is now (Subject::drawing_mark).
[[nodiscard]] std::vector<PlanStatus> status_of(const MeasuringPlan& plan,
                                                const std::vector<Take>& takes,
                                                const std::string& drawing);

[[nodiscard]] std::string to_json(const MeasuringPlan& plan);
[[nodiscard]] Result<MeasuringPlan> plan_from_json(const std::string& text);

/// The stand as the book keeps it.
[[nodiscard]] std::string to_json(const Stand& stand);
[[nodiscard]] Stand stand_from_json(const std::string& text);

/// Plans as the book keeps them, one per subject, and templates by name: the wishes and edits of a
/// plan without its subject.
[[nodiscard]] Result<void> keep_plan(Book& book, const MeasuringPlan& plan);
[[nodiscard]] std::optional<MeasuringPlan> kept_plan(const Book& book, Id subject);
[[nodiscard]] Result<void> keep_template(Book& book, const std::string& name,
                                         const MeasuringPlan& plan);
[[nodiscard]] std::vector<std::string> template_names(const Book& book);
/// A template's takes for a subject and a variant of it.
[[nodiscard]] Result<MeasuringPlan> plan_from_template(const Book& book, const std::string& name,
                                                       Id subject, Id variant);

}  // namespace lalometer
