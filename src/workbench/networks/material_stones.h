#pragma once

#include "acoustics/network/design/building_stones.h"
#include "workbench/networks/network_material.h"

namespace lalometer {

/// First values of a building stone for a driver of the material: the baffle step by this baffle's
/// own edges where it is described, else by the driver's response; the notch beside the driver's
/// own band (a lower driver's from the crossover's window on, an upper one's over all of it); a pad
/// by how much louder it is than the quietest of the others.
/// @param ladder  what the branch holds already: what stands first works into it.
[[nodiscard]] Result<BuildingStone> stone_for(const NetworkMaterial& material,
                                              const std::string& driver, StoneKind kind,
                                              const Ladder& ladder = {});
/// All that can be made, by driver; those that cannot have their reason in `why_not`.
struct StoneList {
  std::vector<BuildingStone> stones;
  std::vector<std::string> why_not;
};
[[nodiscard]] StoneList stones_of(const NetworkMaterial& material);

}  // namespace lalometer
