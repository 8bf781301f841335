#pragma once

#include <stop_token>

#include "acoustics/baffle/panel.h"
#include "acoustics/curves/difference.h"
#include "acoustics/near_field/bass_figures.h"
#include "acoustics/near_field/near_sources.h"
#include "acoustics/signal/time_origin.h"
#include "book/description/subject_geometry.h"
#include "book/records.h"

/// The near fields of a loudspeaker's radiating parts: their sum, and what it makes at 1 m.
namespace lalometer {

/// From where a cabinet's edges look small.
inline constexpr double kFarAway_m = 8.0;

/// A near field as it was taken.
struct NearTake {
  const Take* take;
  const Response* curve;
  TimeOrigin origin;
  bool calibrated = true;
  const Response* noise = nullptr;  ///< rms of the noise in the curve; null: nobody knows
};

/// One radiating part's share of the sound.
struct RadiatedPart {
  PanelPlace place;
  double radius_m;
  std::vector<std::complex<double>> velocity;  ///< m^3/s, over the axis
};

/// How far each part's level may be off against the others', half-width of a 95 % interval: 1 mm of
/// the microphone's distance, 3 % of the area, 0.1 dB of drift (common practice, no source).
inline constexpr double kNearPlace_m = 0.001;
inline constexpr double kNearArea = 0.03;
inline constexpr double kNearDrift_db = 0.1;
/// What a microphone's correction may run off between the bass and the reference, half-width of a
/// 95 % interval (common practice, no source): no fall is known better, however quiet the room.
inline constexpr double kNearCorrection_db = 0.15;

struct NearFields {
  /// Of cones and passive radiators' drivers, and of ports and radiators, as they add: pressures in
  /// the plane of each part, scaled to the first cone's area. `sum` is both.
  Response cone;
  std::optional<Response> port = std::nullopt;
  Response sum;
  Response half_space;  ///< at 1 m in an infinite wall, flight time out
  /// At 1 m by the far field, by this cabinet's own edges; nothing where its size is not told.
  std::optional<Response> full_space = std::nullopt;
  double valid_to_hz = 0.0;
  double drive_v = 2.83;
  bool calibrated = true;
  std::optional<double> least_movement_hz = std::nullopt;
  std::optional<Estimate> fb_hz = std::nullopt;
  std::optional<Estimate> f3_hz = std::nullopt;
  std::optional<Estimate> f6_hz = std::nullopt;
  std::optional<Estimate> f10_hz = std::nullopt;
  /// Volume velocities of all parts, in the takes' order.
  std::vector<RadiatedPart> parts = {};
  /// What the half-space level moves by, dB, where one part is off by its half-width; [part][i].
  std::vector<std::vector<double>> level_off_db = {};
  /// Noise in the half-space curve, rms, where all takes tell theirs.
  std::optional<Response> noise = std::nullopt;
  double valid_from_hz = 0.0;  ///< from where the sum stands 10 dB over it
  /// Dips of the cone that a standing wave in the box makes.
  std::vector<Departure> cone_waves = {};
  /// Of the port above its own top: its pipe, standing waves that it lets out.
  std::vector<StandingOut> port_resonances = {};
  std::optional<StandingOut> port_top = std::nullopt;
  std::vector<std::string> notes = {};
};

/// From the takes of one variant. All are brought to the drive of the first. Volume velocities by
/// the exact piston on its axis at the told microphone distance (near_impedance()); what one part
/// adds at another's microphone is taken out where both have places. Phases count where all takes
/// have one time; where they do not, or have none, each has minimum phase and ports and radiators
/// are turned by half: so they are far below the tuning, and both are minimum-phase systems.
///
/// Falls are counted from the mean level between a third of the valid range's end and its end.
/// @return an error where no near field of a cone is there, a source is none of the subject's
/// parts, or nothing tells a part's area.
/// @param listener_m  of the full space, scaled to 1 m: beside a far field, its own distance.
/// Falls count with what parts may be off against each other (kNearPlace_m and the rest) and noise.
[[nodiscard]] Result<NearFields> near_fields_of(const SubjectGeometry& geometry,
                                                const std::vector<NearTake>& takes,
                                                const std::string& where, std::stop_token stop,
                                                double listener_m = kFarAway_m);

/// What volume velocities on the panels of a cabinet make at a place, Pa, scaled to 1 m, the flight
/// time from the baffle's origin out. Precondition: the cabinet's size is told.
[[nodiscard]] std::vector<std::complex<double>> radiated(const SubjectGeometry& geometry,
                                                         const std::vector<RadiatedPart>& parts,
                                                         const FrequencyAxis& axis,
                                                         const Placement& where,
                                                         double speed_of_sound_m_s);

/// The full space at another place than the axis, by the same cabinet; nothing where its size is
/// not told.
[[nodiscard]] std::optional<Response> full_space_at(const NearFields& near,
                                                    const SubjectGeometry& geometry,
                                                    const Placement& where,
                                                    double speed_of_sound_m_s);

/// Half-width of a level's 95 % interval against the curve's mean over a range, dB: parts against
/// each other, and what the curve scatters about a smooth run.
[[nodiscard]] double bass_deviation_db(const NearFields& near, const Response& curve,
                                       double frequency_hz, ValidRange reference);

}  // namespace lalometer
