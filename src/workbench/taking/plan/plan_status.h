#pragma once

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

}  // namespace lalometer
