#pragma once

#include "workbench/practice/practice_faults.h"
#include "workbench/practice/simulating.h"

/// The files that the practice bench plays (docs/file-formats.md).
namespace lalometer {

/// Reads a plan: "subject" (or the whole object), "bench" (sample_rate_hz, temperature_c,
/// distance_m, floor_m, ceiling_m, nearest_wall_m, floor_reflection, wall_reflection, noise_pa),
/// "faults" (words or objects), "variants" (each may carry "subject", a merge patch per RFC 7396,
/// and "faults" of its own), "takes" (keys of set.json; "orbit" for many angles). Without takes: an
/// impedance and an on-axis sweep.
[[nodiscard]] Result<SimulationPlan> simulation_plan_of(const std::string& json,
                                                        const std::string& where,
                                                        std::uint64_t seed);

/// A take of a kind with everything else usual; "orbit" words expand into many.
[[nodiscard]] Result<std::vector<PracticeTake>> practice_takes_of(const std::string& take_json,
                                                                  const std::string& where);

/// The word alone as a JSON string, or an object with "fault", "driver" and figures.
[[nodiscard]] PracticeFault fault_from_json(const std::string& json);

}  // namespace lalometer
