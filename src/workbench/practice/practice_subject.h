#pragma once

#include <string>
#include <vector>

#include "rig/practice/practice_bench.h"

namespace lalometer {

/// The practice loudspeaker that a set's subject describes (docs/file-formats.md, "What the
/// practice bench understands"): loading, drivers, baffle, box with its inner dimensions and
/// damping, ports, passive radiators, wings, crossovers. Figures that are not specified are usual
/// ones for a driver of that role and size. What cannot be (a driver off the front, a port longer
/// than the box, a volume of nothing, two drivers of one id) is an error that names its place.
[[nodiscard]] Result<PracticeSpeaker> practice_speaker_of(const std::string& description_json,
                                                          const std::string& where);

/// Usual parameters of a driver of a role and area (common practice, no source): those of the kiosk
/// two-way, scaled by size. Roles of the files: woofer, subwoofer, midrange, tweeter, fullrange,
/// compression-driver.
[[nodiscard]] QuotedParameters usual_parameters(const std::string& role, double sd_m2);

}  // namespace lalometer
