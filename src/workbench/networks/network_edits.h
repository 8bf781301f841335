#pragma once

#include <optional>
#include <string>
#include <vector>

#include "acoustics/network/whatif/designed_network.h"

/// Changing a network by hand.
namespace lalometer {

/// One element of a part: coil, capacitor or resistor in series inside it.
enum class ElementKind { kCoil, kCapacitor, kResistor };
struct NetworkPlace {
  std::size_t branch = 0;
  std::vector<std::size_t> path = {};  ///< into the ladder, then the parts inside
  ElementKind kind = ElementKind::kCoil;
  friend bool operator==(const NetworkPlace&, const NetworkPlace&) = default;
};

[[nodiscard]] LadderPart* part_at(DesignedNetwork& network, const NetworkPlace& place);
[[nodiscard]] const LadderPart* part_at(const DesignedNetwork& network, const NetworkPlace& place);
/// In the element's own unit: mH, µF, ohm; 0: it is not there.
[[nodiscard]] double value_of(const DesignedNetwork& network, const NetworkPlace& place);
/// Held within what can be bought: 0.01 to 100 mH, 0.1 to 1000 µF, 0.01 to 1000 ohm.
void set_value(DesignedNetwork& network, const NetworkPlace& place, double value);
/// "1.2 mH"
[[nodiscard]] std::string spoken_value(ElementKind kind, double value);

/// A part of one element into a branch's line or across it, behind the ladder's part at `after`
/// (before all where it is nothing), with a usual value for 2 kHz and 8 ohm.
/// @return where it stands.
NetworkPlace add_part(DesignedNetwork& network, std::size_t branch,
                      const std::optional<std::size_t>& after, LadderPart::Place place,
                      ElementKind kind);
/// The whole part of the ladder that the place lies in.
void remove_part(DesignedNetwork& network, const NetworkPlace& place);

}  // namespace lalometer
