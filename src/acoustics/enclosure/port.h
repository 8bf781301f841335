#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/result.h"

namespace lalometer {

/// How an end of a port opens: into free air all round, or in a wall.
enum class PortEnd { kFree, kFlanged };

/// A group of alike ports. Round where `slot_height_m` is 0, else a slot of diameter_m (its width)
/// by slot_height_m.
struct PortGeometry {
  double diameter_m;
  double length_m;
  int count = 1;
  double slot_height_m = 0.0;
  double flare_radius_m = 0.0;  ///< rounding of both mouths; 0: sharp
  PortEnd inner = PortEnd::kFree;
  PortEnd outer = PortEnd::kFlanged;
  /// Of a slot: one of its long sides is the box's own wall, as slots are usually built.
  bool along_wall = true;

  [[nodiscard]] double area_m2() const;  ///< of all of them
  /// Radius of the circle of one port's area.
  [[nodiscard]] double equivalent_radius_m() const;
};

/// Acoustic length of one port: length plus end corrections 0.613 r (free) and 0.849 r (flanged), r
/// the radius of a circle of its area. The inner end of a slot along a wall has its mirror image
/// beside it: the correction of twice the area (image source). Flares widen the mouth: each
/// shortens the acoustic length by half its radius (common practice, no source). Source of the
/// corrections: Beranek, Acoustics; H. Levine, J. Schwinger, Phys. Rev. 73 (1948) 383 (free end).
[[nodiscard]] double acoustic_length_m(const PortGeometry& port);

/// Helmholtz tuning of a box with several groups of ports, Hz: their masses in parallel,
/// c/(2 pi) sqrt(sum(S/L')/V).
[[nodiscard]] double helmholtz_hz(double volume_m3, const std::vector<PortGeometry>& ports,
                                  double speed_of_sound_m_s);

/// Physical length for a tuning with one group of ports, all else as in `port`; an error where no
/// length above 0 gives it.
[[nodiscard]] Result<double> port_length_for(double tuning_hz, double volume_m3,
                                             const PortGeometry& port, double speed_of_sound_m_s);

/// Frequency of a note by its name, Hz: letter, # or b, octave ("E1" 41.2, "B0" 30.9, "Bb1" 58.3).
/// Equal temperament, A4 = 440 Hz (ISO 16). Nothing where it is no note. A box tuned to the lowest
/// note of an instrument moves its cone least there.
[[nodiscard]] std::optional<double> note_hz(std::string_view name);

/// First resonance of the port's own air column, open at both ends, c / 2 L', Hz.
[[nodiscard]] double pipe_resonance_hz(const PortGeometry& port, double speed_of_sound_m_s);

/// Whether a port fits a box whose inner dimension along it is given: it must end a port diameter
/// before the opposite wall (common practice, no source). Gives what is wrong, or nothing.
[[nodiscard]] std::optional<std::string> clearance_problem(const PortGeometry& port,
                                                           double inner_depth_m);

/// Net volume and where the gross went, m^3. An error where nothing is left.
struct VolumeLedger {
  double gross_m3;
  double drivers_m3 = 0.0;
  double ports_m3 = 0.0;
  double braces_m3 = 0.0;
  double crossover_m3 = 0.0;
};
[[nodiscard]] Result<double> net_volume_m3(const VolumeLedger& ledger);

}  // namespace lalometer
