#pragma once

#include "diagnosis/view/view.h"

namespace lalometer {

/// Finds what stands out of the axis and of what all angles in front share, broadly and finely,
/// asks every other take about it, and takes a second arrival out first where there is one. The
/// view has its takes' levels and its axis take.
void seek_features(CaseView& view);

}  // namespace lalometer
