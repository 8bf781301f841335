#pragma once

#include <optional>
#include <string>
#include <vector>

#include "workbench/taking/plan/measuring_plan.h"

namespace lalometer {

/// Adds the takes that a diagnosis asks for (NextTake::code, diagnosis/next_step.h) to the end of a
/// subject's plan; without one, to a new plan of a box check that holds nothing else. What the plan
/// holds already is not added twice.
/// @param variant  the state they are to be taken of.
/// @return an error where the code asks for no take by itself ("damped" is a change first), or the
/// drawing lacks what it needs.
[[nodiscard]] Result<MeasuringPlan> plan_with_asked(const std::optional<MeasuringPlan>& plan,
                                                    const std::string& code, const Subject& subject,
                                                    Id variant);

}  // namespace lalometer
