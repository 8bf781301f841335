#pragma once

#include "acoustics/network/whatif/tolerance.h"
#include "workbench/networks/network_material.h"
#include "workbench/reading/lane_layers.h"
#include "workbench/studies/impedance_studies.h"

namespace lalometer {

/// A subject's takes for trying networks on, out of a book.
struct NetworkStudyInputs {
  std::vector<Take> takes;  ///< of the subject
  Description description;
  std::string name;
};
/// Of the variant with most takes of single drivers.
[[nodiscard]] Result<NetworkMaterial> study_network(const NetworkStudyInputs& inputs,
                                                    const CurveSource& curves, std::stop_token stop,
                                                    const Progress& progress = {});

/// A network to begin with: a branch for each driver, nothing in it.
[[nodiscard]] DesignedNetwork bare_network(const NetworkMaterial& material);

/// What a network makes of the drivers, as lanes: level with each driver, off the axis, voltages at
/// the drivers, load, phase between the neighbours. Kinds "network-level", "network-angles", ….
/// @param band  of the sum, where somebody wants to see what the parts' spread does; may be null
[[nodiscard]] std::vector<std::pair<std::string, LaneContent>> network_lanes(
    const NetworkSum& sum, const ToleranceBand* band = nullptr);

}  // namespace lalometer
