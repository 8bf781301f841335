#pragma once

#include "acoustics/placement/stand.h"
#include "workbench/taking/plan/measuring_plan.h"

namespace lalometer {

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
