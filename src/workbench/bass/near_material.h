#pragma once

#include "workbench/bass/near_field_study.h"

/// Near fields on their way to a sum: brought alike, and what is told of the result. Of the room
/// alone.
namespace lalometer {

/// One of the subject's radiating parts.
struct NearPart {
  NearSource source;
  PanelPlace place;
  bool cone = false;  ///< else a port or a passive radiator
};

/// The takes on one axis, at one drive, with one time.
struct NearMaterial {
  std::vector<NearPart> parts;
  std::vector<Response> pressures;
  std::vector<std::optional<Response>> noises;  ///< of each, on the same axis
  double drive_v = 2.83;
  bool calibrated = true;
  bool by_physics = false;  ///< phases are what minimum phase makes of magnitudes
  bool share_told = false;  ///< of what the parts add at one another's microphones
  std::vector<std::string> notes = {};
};

/// A part of that name where the drawing has it; its size is not in it.
[[nodiscard]] NearSource source_at(const SubjectGeometry& geometry, const std::string& id,
                                   const PanelPlace& place);
/// @return an error where no near field of a cone is there, or a source is none of the subject's.
[[nodiscard]] Result<NearMaterial> near_material(const SubjectGeometry& geometry,
                                                 const std::vector<NearTake>& takes,
                                                 const std::string& where);
/// How much of each other's sound the takes hold, by the takes themselves where they tell.
[[nodiscard]] CrosstalkShare share_of_others(NearMaterial& m,
                                             const std::vector<NearSource>& sources, double c);

using Flows = std::vector<std::vector<std::complex<double>>>;  ///< volume velocities, [part][i]

/// All that a sum tells.
void tell_near_fields(NearFields& near, const NearMaterial& m,
                      const std::vector<NearSource>& sources, const Flows& velocities, double c,
                      const CrosstalkShare& share);
/// Noise of the sum, and from where it may be read.
void tell_noise(NearFields& near, const NearMaterial& m, const std::vector<NearSource>& sources,
                double c);

/// A sum of parts as a response.
[[nodiscard]] Response pressure_over(const FrequencyAxis& axis,
                                     std::vector<std::complex<double>> values, bool calibrated,
                                     double valid_to_hz);

}  // namespace lalometer
