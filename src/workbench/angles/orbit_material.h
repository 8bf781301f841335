#pragma once

#include "acoustics/directivity/coverage.h"
#include "workbench/bass/join_study.h"
#include "workbench/sharing/sources.h"

/// A loudspeaker's angles out of a set, a book, a folder or an AES69 file.
namespace lalometer {

struct OrbitWish {
  std::string variant = {};  ///< by id or name; the only one with responses where none is named
  std::string driver = {};   ///< only that driver playing
  bool mirror = false;
  bool extend = true;  ///< below the gate by the near fields, where there are some
};

struct OrbitMaterial {
  Orbit orbit;
  double drive_v = 2.83;  ///< all were brought to it, and to the distance
  double distance_m = 1.0;
  double speed_of_sound_m_s = 343.2;
  bool calibrated = true;
  double valid_from_hz = 0.0;
  std::optional<double> extended_below_hz = std::nullopt;
  std::optional<SubjectGeometry> geometry = std::nullopt;
  std::vector<std::string> notes = {};
};

/// @param where  for messages.
[[nodiscard]] Result<OrbitMaterial> orbit_material(const ImportPreview& source,
                                                   const OrbitWish& wish, const std::string& where);

/// What the data say against the angles they were filed under: doubled, swapped, slipped ones, in
/// words. A ray is held against what its neighbours and the other side would make of each angle
/// near it. Rays more than 25 dB under the axis (nulls of dipoles) are not judged.
[[nodiscard]] std::vector<std::string> angle_suspicions(const Orbit& orbit);

}  // namespace lalometer
