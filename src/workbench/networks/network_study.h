#pragma once

#include "acoustics/network/whatif/as_built.h"
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

/// A subject's takes of the whole loudspeaker in one of its variants: its response on the axis (the
/// first one that is not of a single driver) and its impedance. Errors: neither is there.
[[nodiscard]] Result<BuiltTakes> study_built(const NetworkStudyInputs& inputs, Id variant,
                                             const CurveSource& curves, std::stop_token stop);

/// What else lies on the lanes; each may be null.
struct NetworkExtras {
  const ToleranceBand* band = nullptr;  ///< of the sum: what the parts' spread does
  /// What was summed: for load and cones' way below the gate.
  const DesignedNetwork* network = nullptr;
  const std::vector<NetworkDriver>* drivers = nullptr;
  const BuiltTakes* built = nullptr;  ///< what was measured of the built one
  double built_off_db = 0.0;          ///< its level over the foretold one
};
/// What a network makes of the drivers, as lanes: level with each driver, off the axis, map,
/// beamwidth and averages of the designed loudspeaker, voltages at the drivers, their cones' way,
/// load, phase between the neighbours. Kinds "network-level", "network-angles", ….
[[nodiscard]] std::vector<std::pair<std::string, LaneContent>> network_lanes(
    const NetworkSum& sum, const NetworkExtras& extras = {});

}  // namespace lalometer
