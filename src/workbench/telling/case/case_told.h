#pragma once

#include "diagnosis/finding.h"
#include "workbench/telling/told.h"

namespace lalometer {

[[nodiscard]] Told told_of(const Diagnosis& diagnosis);

}  // namespace lalometer
