#pragma once

#include <string>
#include <vector>

#include "book/description/description.h"
#include "rig/practice/practice_bench.h"

namespace lalometer {

/// The practice loudspeaker that a set's subject describes (docs/file-formats.md, "What the
/// practice bench understands"): loading, drivers, baffle, box with its inner dimensions and
/// damping, ports, passive radiators, wings, crossovers. Figures that are not specified are usual
/// ones for a driver of that role and size. What cannot be (a driver off the front, a port longer
/// than the box, a volume of nothing, two drivers of one id) is an error that names its place.
[[nodiscard]] Result<PracticeSpeaker> practice_speaker_of(const Description& description,
                                                          const std::string& where);

}  // namespace lalometer
