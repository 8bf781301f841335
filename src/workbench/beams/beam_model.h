#pragma once

#include <string>
#include <vector>

#include "workbench/angles/orbit_material.h"

namespace lalometer {

/// Why a loudspeaker's beam changes its width, as far as sizes and places tell.
enum class BeamCause { kBeaming, kWaveguide, kSpacing, kEdges };
/// "beaming", "waveguide", "spacing", "edges".
[[nodiscard]] std::string_view word_of(BeamCause cause);

/// Beamwidth of a loudspeaker that has one of them alone.
struct BeamModel {
  BeamCause cause;
  std::string driver;                 ///< whose edges; empty: all
  std::vector<double> beamwidth_deg;  ///< NaN where it never falls so far in front
  std::vector<double> ahead_db = {};  ///< of edges: what they do to the axis, re a wall
};

/// All of one circle, over an axis of their own: 100 Hz to 20 kHz, 24 points an octave.
struct BeamModels {
  FrequencyAxis axis = FrequencyAxis::logarithmic(100.0, 20000.0, 24.0);
  std::vector<BeamModel> models = {};
};

/// Share of a driver in the sum, real, all in phase: low-pass and high-pass 1 / (1 + (f / fc)^n)
/// and its rest, n the crossover's order (4 where none is told): Linkwitz and Riley's fourth order,
/// an approximation for others. 1 where no crossover names it.
[[nodiscard]] double share_at(const SubjectGeometry& geometry, const std::string& driver,
                              double frequency_hz);

/// What the drawing alone foretells of one circle's beamwidth: pistons and waveguides about one
/// centre (beaming); points at the drivers' places in this plane, in phase (spacing); each driver's
/// edges from the diffraction model, in the band where it leads (edges). Models that the drawing
/// does not carry are left out.
[[nodiscard]] BeamModels beam_models(const SubjectGeometry& geometry, Plane plane, double fall_db,
                                     double distance_m, double speed_of_sound_m_s);

}  // namespace lalometer
