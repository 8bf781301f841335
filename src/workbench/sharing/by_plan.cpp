#include "workbench/sharing/by_plan.h"

#include "workbench/keeping/plan_keeping.h"
#include "workbench/taking/plan/plan_status.h"

namespace lalometer {

std::vector<WantedTake> wanted_of(const MeasuringPlan& plan,
                                  const std::vector<PlanStatus>& standing) {
  std::vector<WantedTake> wanted;
  for (std::size_t i = 0; i < plan.takes.size() && i < standing.size(); ++i) {
    const PlannedTake& planned = plan.takes[i];
    const PlanState state = standing[i].state;
    if (state != PlanState::kMissing && state != PlanState::kStale) continue;
    if (!is_pressure(planned.request.kind)) continue;
    wanted.push_back({plan_item(plan, planned), planned.request});
  }
  return wanted;
}

std::vector<WantedTake> wanted_of(const Book& book, Id subject) {
  const auto plan = kept_plan(book, subject);
  const auto takes = book.takes();
  const auto subjects = book.subjects();
  if (!plan || !takes || !subjects) return {};
  for (const Subject& one : *subjects)
    if (one.id == subject) return wanted_of(*plan, status_of(*plan, *takes, one.drawing_mark));
  return {};
}

void become(ImportItem& item, const WantedTake& wanted, const std::string& drawing) {
  const TakeRequest r = limited(wanted.request).request;
  Take& take = item.take;
  take.setup = setup_of(r);
  take.name = r.name;
  take.subject_id = r.subject_id;
  take.variant_id = r.variant_id;
  take.plan_item = wanted.item;
  take.drawing = drawing;
  take.conditions.drive_v = r.drive_v;
  take.conditions.temperature_c = r.temperature_c;
  take.conditions.sample = r.sample;
  take.conditions.distance_told = true;
  take.conditions.driver = r.kind == TakeKind::kNearField ? std::string() : r.source;
}

std::size_t name_by_plan(ImportPreview& preview, const std::vector<WantedTake>& wanted,
                         const std::string& drawing) {
  std::size_t named = 0;
  for (ImportItem& item : preview.items) {
    if (item.take.form != RawForm::kSweepFile || named == wanted.size()) continue;
    become(item, wanted[named++], drawing);
  }
  return named;
}

}  // namespace lalometer
