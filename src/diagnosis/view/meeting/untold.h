#pragma once

#include <string>
#include <vector>

#include "diagnosis/material.h"

/// Who measures a finished loudspeaker seldom knows where its drivers meet.
namespace lalometer {

/// A crossover that the drawing does not tell.
struct SoughtCrossover {
  enum class By {
    kAlone,   ///< the levels of each driver alone cross there
    kAngles,  ///< to the sides the sound goes over from one piston's beam to the other's
    kSizes    ///< common practice, no source: the lower cone is 2.1 wavelengths round there
  };
  CaseCrossover crossover;
  By by = By::kSizes;
};

/// Where neighbours of unlike drivers meet, lowest first; empty where the drawing tells a crossover
/// or has but one kind of driver. By angles within half an octave in nine of ten simulated
/// loudspeakers, by sizes within two thirds (docs/accuracy.md).
[[nodiscard]] std::vector<SoughtCrossover> sought_crossovers(const CaseMaterial& material);

/// For a note: "woofer and tweeter are taken to meet near 2.1 kHz, by the angles".
[[nodiscard]] std::string spoken(const SoughtCrossover& sought);

}  // namespace lalometer
