#pragma once

#include "diagnosis/view/view.h"

/// Dips and peaks evenly spaced in Hz, and the responses without them.
namespace lalometer {

/// Marks dips and peaks by turns that lie evenly in Hz, and tells their spacing (`comb_hz`).
void find_comb(CaseView& view);
/// The same by the rows themselves, where dips and peaks are too small to stand out or have others
/// between them: a copy of the sound that explains half of what stands out of the axis, has
/// come farther than the box is large, and is there to the sides as well.
void seek_comb(CaseView& view);
/// Takes the second arrival that makes the comb out of the level of every response of the state
/// that is looked at, where it is found, and keeps it in `arrivals`; false where the reference has
/// none.
bool take_out_comb(CaseView& view);
/// After that: marks what is left of its own dips and peaks where it is softer or later than told.
void mark_left_teeth(CaseView& view);

}  // namespace lalometer
