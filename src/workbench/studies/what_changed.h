#pragma once

#include "workbench/studies/comparison.h"

namespace lalometer {

/// What changed from one member to another, each with what it means: a loop that is gone was won, a
/// loss that grew was the price. With the driver's fs in free air, of closed boxes also how much
/// larger the air seems and what share of the ideal (isothermal) filling that is.
struct Change {
  enum class Sense { kWon, kCost, kOpen };
  std::string text;  ///< without a full stop
  Sense sense = Sense::kOpen;
};
[[nodiscard]] std::vector<Change> what_changed(const MemberFigures& before,
                                               const MemberFigures& after, double repeat_db,
                                               const std::optional<Estimate>& driver_fs_hz = {});
/// "Won: … Cost: … Changed: …", or that nothing changed.
[[nodiscard]] std::string in_words(const std::vector<Change>& changes);

}  // namespace lalometer
