#pragma once

#include "diagnosis/view/view.h"

namespace lalometer {

/// Fits the box and the driver, finds the loops of the impedance in the box, whether free air and
/// other variants have them, and tells the view's features which of them they belong to.
void look_at_impedances(CaseView& view, const ImpedanceSide* known, const Parallel& parallel);

}  // namespace lalometer
