#pragma once

#include "workbench/beams/beam_model.h"

namespace lalometer {

/// Where the beam is narrower or wider than to both sides, and what of the drawing makes it so.
struct BeamChange {
  Narrowing where;
  bool wider = false;
  struct Cause {
    BeamCause cause;
    std::string reason;  ///< "woofer and tweeter stand 143 mm apart, 0.9 wavelengths"
    double fit;          ///< 0 to 1: how near the model's own width comes to it
  };
  std::vector<Cause> causes = {};  ///< the likeliest first; may be empty
};

/// How an angle departs from the axis over a band.
struct AngleDeviation {
  double degrees;
  double mean_db;   ///< below 0: quieter
  double worst_db;  ///< farthest from the mean
  double worst_at_hz;
};

/// What one circle of angles tells, over the orbit's axis.
struct CircleReading {
  Plane plane = Plane::kHorizontal;
  double fall_db = 6.0;  ///< of the beamwidth
  std::optional<AngleMap> map = std::nullopt;
  std::vector<double> beamwidth_deg = {};
  std::vector<double> expected_deg =
      {};  ///< of pistons or waveguides of the same size; may be empty
  std::optional<Coverage> coverage = std::nullopt;
  std::vector<BeamChange> changes = {};  ///< rising in frequency
  CircleIndex index = {{}, 0.0};
  std::vector<double> asymmetry_db = {};
  std::vector<std::pair<double, std::optional<double>>> separation_hz = {};  ///< 15, 30, 45, 60
  std::vector<AngleDeviation> deviations = {};
  ValidRange deviations_over = {0.0, 0.0};
  std::vector<std::string> notes = {};
};

/// @param models  of the same circle and fall (beam_models). A narrowing's causes are those that
/// alone make about its width there (within a quarter); a widening's are edges that lower the axis,
/// or the next driver that has taken over.
[[nodiscard]] CircleReading circle_reading(const OrbitMaterial& material, Plane plane,
                                           double fall_db, const BeamModels& models);

/// "Narrows to 62° at 2.1 kHz: ...", in words.
[[nodiscard]] std::string spoken(const BeamChange& change);

}  // namespace lalometer
