#include "workbench/taking/plan/plan_status.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"

namespace lalometer {
namespace {

/// What differs between what was taken and what is wanted, in words; empty: nothing that matters.
std::string difference(const Take& take, const TakeRequest& wanted, const std::string& drawing) {
  const Conditions& c = take.conditions;
  const Placement place = place_of(take);
  const auto off = [](double a, double b, double tolerance) { return std::abs(a - b) > tolerance; };
  if (take.variant_id != wanted.variant_id) return "It was taken of another variant.";
  if (off(place.horizontal_deg, wanted.horizontal_deg, 0.05) ||
      off(place.vertical_deg, wanted.vertical_deg, 0.05))
    return "It was taken at another angle.";
  if (take.kind() == TakeKind::kResponse && off(place.distance_m, wanted.distance_m, 0.001))
    return fmt::format("It was taken at {} m, {} m are wanted.", shortest(place.distance_m),
                       shortest(wanted.distance_m));
  const double wanted_v = limited(wanted).request.drive_v;
  const bool set_lower = std::any_of(take.remarks.begin(), take.remarks.end(), [](const Remark& r) {
    return r.code == "level-set" || r.code == "level-limited";
  });
  const bool by_level = wanted.target_spl_db > 0.0 || (set_lower && c.drive_v < 1.01 * wanted_v);
  if (!by_level && off(c.drive_v, wanted_v, 0.01 * wanted_v))
    return fmt::format("It was taken at {} V, {} V are wanted.", three_digits(c.drive_v),
                       three_digits(wanted_v));
  if (!take.drawing.empty() && take.drawing != drawing) return "The drawing was changed since.";
  return {};
}

}  // namespace

std::vector<PlanStatus> status_of(const MeasuringPlan& plan, const std::vector<Take>& takes,
                                  const std::string& drawing) {
  std::vector<PlanStatus> standings;
  for (const PlannedTake& planned : plan.takes) {
    PlanStatus standing;
    if (planned.skipped) standing.state = PlanState::kSkipped;
    const std::string item = plan_item(plan, planned);
    for (const Take& take : takes) {
      if (!take.accepted || take.plan_item != item) continue;
      // The latest one counts.
      standing.take_id = take.id;
      standing.why = difference(take, planned.request, drawing);
      standing.state = standing.why.empty() ? PlanState::kDone : PlanState::kStale;
    }
    standings.push_back(std::move(standing));
  }
  return standings;
}

}  // namespace lalometer
