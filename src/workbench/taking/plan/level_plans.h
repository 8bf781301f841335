#pragma once

#include "base/result.h"
#include "workbench/taking/plan/plan_maker.h"

/// The takes that tell how loud something goes and what it adds.
namespace lalometer {

/// Drives on the axis, multitones, steady tones, or near fields at several drives, of the state and
/// sample that the maker stands at.
[[nodiscard]] Result<void> fill_levels(PlanMaker& make, Purpose purpose);
/// One slow sweep from close by.
void fill_rub(PlanMaker& make);

}  // namespace lalometer
