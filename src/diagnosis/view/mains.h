#pragma once

#include <optional>
#include <string>

#include "acoustics/spectrum/response.h"
#include "diagnosis/material.h"

/// The mains in lists of numbers: rows by its multiples stand out.
namespace lalometer {

struct SeenMains {
  int count = 0;          ///< of the first seven multiples, in the take that shows most
  double mains_hz = 0.0;  ///< 50 or 60
  double mean_db = 0.0;
  std::string name = {};  ///< of that take
  std::int64_t take = 0;
  int takes = 0;  ///< that show it
};
/// Count 0 where no take has three multiples and nothing midway between them.
[[nodiscard]] SeenMains mains_in(const CaseMaterial& material);

/// A curve without the rows by the multiples of the mains, where it shows them (up to the tenth);
/// as it is where it does not.
/// @param told_hz  the mains that other takes of the set show: then each row by itself counts that
///                 stands out by half a decibel.
[[nodiscard]] Response without_mains(const Response& curve,
                                     std::optional<double> told_hz = std::nullopt);

/// The mains' frequency where several takes show it by most of its multiples.
[[nodiscard]] std::optional<double> told_mains_hz(const SeenMains& seen);

}  // namespace lalometer
