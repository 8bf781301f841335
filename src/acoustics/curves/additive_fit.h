#pragma once

#include <optional>
#include <vector>

namespace lalometer {

/// How far a factor's last level lies from its first.
struct Shift {
  double value = 0.0;
  double spread = 0.0;  ///< standard deviation, where single values have one of 1
};
/// Least squares of a mean and a shift for each level of each factor, without interaction: the
/// additive model of a two- or many-way layout, empty cells allowed.
/// @param levels  how many each factor has, at least two
/// @param of      [value][factor] -> level
/// @return one shift a factor; nothing where the factors cannot be told apart.
[[nodiscard]] std::optional<std::vector<Shift>> additive_fit(
    const std::vector<std::size_t>& levels, const std::vector<std::vector<std::size_t>>& of,
    const std::vector<double>& y);

}  // namespace lalometer
