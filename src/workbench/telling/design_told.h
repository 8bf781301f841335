#pragma once

#include "workbench/design/baffle_prediction.h"
#include "workbench/design/enclosure_study.h"
#include "workbench/telling/told.h"

namespace lalometer {

/// With the keys of `lalometer-cli diffraction`; @param best may be null.
[[nodiscard]] Told told_of(const DiffractionPrediction& prediction, const BestPosition* best);

/// With the keys of `lalometer-cli enclosure`.
[[nodiscard]] Told told_of(const EnclosureStudy& study);

}  // namespace lalometer
