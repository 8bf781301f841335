#pragma once

#include "acoustics/network/design/crossover_design.h"
#include "acoustics/network/whatif/as_built.h"
#include "acoustics/network/whatif/tolerance.h"
#include "workbench/networks/material_stones.h"
#include "workbench/telling/told.h"

namespace lalometer {

/// A network in its file's own form.
[[nodiscard]] Told told_of(const DesignedNetwork& network);
/// A part of a ladder in the file's own form, with its place.
[[nodiscard]] Told told_of(const LadderPart& part, bool with_place = true);
/// What it makes of the drivers: sums, angles, each driver, load, crossings, parts.
[[nodiscard]] Told told_of(const NetworkSum& sum, const DesignedNetwork& network,
                           const NetworkMaterial& material, double power_w);
/// Adds what a design found.
void tell(Told& told, const CrossoverDesign& design);
void tell(Told& told, const std::vector<CrossoverWindow>& windows);
void tell(Told& told, const ToleranceBand& band);
void tell(Told& told, const AsBuilt& built);
/// Building stones with first values, in the file's own form.
void tell(Told& told, const StoneList& stones);

}  // namespace lalometer
