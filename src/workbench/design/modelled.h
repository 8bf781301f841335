#pragma once

#include <memory>
#include <string>
#include <vector>

#include "base/result.h"
#include "book/description/description.h"

namespace lalometer {

/// What a subject's description alone predicts as curves, to be laid under the measured ones.
struct ModelledCurves {
  std::vector<double> frequency_hz;
  /// Level of the loudspeaker on its 0 degree axis, 2.83 V, 1 m, free field, dB re 20 uPa:
  /// circuits, standing waves, crossover, edges.
  std::vector<double> level_db;
  std::vector<double> impedance_ohm;
  std::vector<double> impedance_phase_deg;
  /// Per driver: what the edges do to it, dB re the same driver in an infinite baffle.
  struct Edges {
    std::string driver;
    std::vector<double> level_db;
  };
  std::vector<Edges> edges;
  /// Drivers whose parameters the description does not tell in full: those usual for their size
  /// stand in, so level and impedance are a rough guide.
  std::vector<std::string> usual_drivers;
};

/// 20 Hz to 20 kHz at 48 points per octave; some 50 ms. An impossible description is an error that
/// names its place.
[[nodiscard]] Result<ModelledCurves> modelled_curves(const Description& description,
                                                     const std::string& where);

}  // namespace lalometer
