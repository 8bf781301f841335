#pragma once

#include "workbench/sharing/importing.h"
#include "workbench/taking/plan/measuring_plan.h"

namespace lalometer {

struct PlanStatus;

/// A take that a plan still wants, as a microphone takes it.
struct WantedTake {
  std::string item;  ///< key of the planned take (plan_item())
  TakeRequest request;
};

/// What a plan misses of takes with a microphone, in its order: missing and stale ones.
[[nodiscard]] std::vector<WantedTake> wanted_of(const MeasuringPlan& plan,
                                                const std::vector<PlanStatus>& standing);
/// The same of a subject of a book, by the plan that the book keeps; empty where it keeps none.
[[nodiscard]] std::vector<WantedTake> wanted_of(const Book& book, Id subject);

/// A recorded sweep becomes what was planned: name, place, drive, driver, sample and variant.
/// @param drawing  mark of the subject's drawing (Subject::drawing_mark).
void become(ImportItem& item, const WantedTake& wanted, const std::string& drawing);

/// The sweeps of a preview in their order become the wanted takes in theirs; those that are left
/// over stay as they are. Gives how many were named.
std::size_t name_by_plan(ImportPreview& preview, const std::vector<WantedTake>& wanted,
                         const std::string& drawing);

}  // namespace lalometer
