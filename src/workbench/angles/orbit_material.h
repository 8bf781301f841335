#pragma once

#include "acoustics/directivity/coverage.h"
#include "acoustics/signal/time_origin.h"
#include "base/progress.h"
#include "book/description/subject_geometry.h"
#include "book/records.h"
#include "workbench/level/distortion_study.h"

/// A loudspeaker's angles, brought alike.
namespace lalometer {

struct ImportPreview;

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
  double gated_from_hz = 0.0;  ///< where gates end what the takes themselves tell; 0: none does
  std::optional<double> extended_below_hz = std::nullopt;
  std::optional<SubjectGeometry> geometry = std::nullopt;
  /// Drivers by themselves on the axis, by id: at the same drive and distance, with one time.
  std::vector<std::pair<std::string, Response>> alone = {};
  /// Where THD stands over 3 % on the axis; nothing where no sweep was read there.
  std::optional<std::vector<Strain>> strained = std::nullopt;
  /// Of drivers that were swept by themselves: above it THD stays under 3 %, by id; 0: everywhere.
  std::vector<std::pair<std::string, double>> clean_from_hz = {};
  std::vector<std::string> notes = {};
};

/// A take of a set with its curve; a near field's without smoothing.
struct AngleTake {
  const Take* take;
  const Response* curve;
  TimeOrigin origin = {.at_s = 0.0, .source = TimeOrigin::Source::kFile};
  bool calibrated = true;
  const DistortionReading* distortion = nullptr;  ///< of sweeps on the axis, where it is read
};
/// Whether a take's distortion counts: a sweep straight ahead.
[[nodiscard]] bool tells_strain(const Take& take);
struct AngleTakes {
  std::vector<AngleTake> far;         ///< one driver's, or the whole loudspeaker's; at least one
  std::vector<AngleTake> near;        ///< of the same variant
  std::vector<AngleTake> alone = {};  ///< single drivers on the axis, for what they do together
};

/// A response that belongs to a set of angles: measured, in the loudspeaker's own box, with its own
/// polarities.
[[nodiscard]] bool is_of_an_orbit(const Take& take);
/// One of them, on the axis, of one driver that plays alone.
[[nodiscard]] bool is_driver_alone_ahead(const Take& take);

/// @param where  for messages.
[[nodiscard]] Result<OrbitMaterial> orbit_material(const AngleTakes& takes,
                                                   const std::optional<SubjectGeometry>& geometry,
                                                   const OrbitWish& wish, const std::string& where,
                                                   std::vector<std::string> notes = {},
                                                   const Parallel& parallel = in_turn);
/// Out of a set, a book, a folder or an AES69 file.
[[nodiscard]] Result<OrbitMaterial> orbit_material(const ImportPreview& source,
                                                   const OrbitWish& wish, const std::string& where,
                                                   const Parallel& parallel = in_turn);

/// What the data say against the angles they were filed under: doubled, swapped, slipped ones, in
/// words. A ray is held against what its neighbours and the other side would make of each angle
/// near it. Rays more than 25 dB under the axis (nulls of dipoles) are not judged.
[[nodiscard]] std::vector<std::string> angle_suspicions(const Orbit& orbit,
                                                        const Parallel& parallel = in_turn);

}  // namespace lalometer
