#pragma once

#include "acoustics/network/design/crossover_design.h"
#include "acoustics/network/whatif/as_built.h"
#include "acoustics/network/whatif/tolerance.h"
#include "workbench/networks/network_material.h"
#include "workbench/telling/told.h"

namespace lalometer {

/// A network in its file's own form.
[[nodiscard]] Told told_of(const DesignedNetwork& network);
/// What it makes of the drivers: sums, angles, each driver, load, crossings, parts.
[[nodiscard]] Told told_of(const NetworkSum& sum, const DesignedNetwork& network,
                           const NetworkMaterial& material, double power_w);
/// Adds what a design found.
void tell(Told& told, const CrossoverDesign& design);
void tell(Told& told, const std::vector<CrossoverWindow>& windows);
void tell(Told& told, const ToleranceBand& band);
void tell(Told& told, const AsBuilt& built);

}  // namespace lalometer
