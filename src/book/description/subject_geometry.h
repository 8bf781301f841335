#pragma once

#include <optional>
#include <string>
#include <vector>

#include "acoustics/baffle/baffle.h"
#include "acoustics/directivity/waveguide.h"
#include "acoustics/enclosure/box_modes.h"
#include "acoustics/enclosure/port.h"
#include "base/result.h"
#include "book/description/description.h"

namespace lalometer {

/// A subject's geometry as its description tells it, in SI units and checked. What is not specified
/// is absent, never guessed.
struct SubjectDriver {
  std::string id;
  std::string role;
  double x_m = 0.0;  ///< from the baffle's origin, right and up as seen from in front
  double y_m = 0.0;
  double z_m = 0.0;                ///< toward the listener
  std::optional<double> radius_m;  ///< effective_radius_m(), where something tells it
  std::optional<Waveguide> waveguide = std::nullopt;
  std::optional<double> resonance_hz = std::nullopt;  ///< in free air, its own or the sheet's
  std::optional<double> breakup_hz = std::nullopt;
  std::optional<double> xmax_m = std::nullopt;  ///< linear travel to one side
  /// Volts that are its rated power in its nominal impedance, taken as 1.25 Re (common practice;
  /// IEC 60268-5: the least impedance is no less than 0.8 of it); where power and Re are told.
  std::optional<double> rated_v = std::nullopt;
};

struct SubjectPort {
  std::string id;
  std::string panel;
  std::optional<PortGeometry> geometry =
      std::nullopt;       ///< where both its width and its length are told
  double radius_m = 0.0;  ///< of a circle of one's area; 0 where nothing tells it
  int count = 1;
  double x_m = 0.0;
  double y_m = 0.0;
};

struct SubjectRadiator {
  std::string id;
  std::string panel;
  double x_m = 0.0;
  double y_m = 0.0;
  double radius_m = 0.0;  ///< effective; 0 where nothing tells it
};

struct SubjectCrossover {
  std::string low;
  std::string high;
  double frequency_hz;
  int order = 0;
};

struct SubjectGeometry {
  std::string loading;
  std::vector<SubjectDriver> drivers;
  std::optional<Baffle> baffle;
  double origin_x_m =
      0.0;  ///< the baffle's origin in the baffle's own coordinates (left, lower edge)
  double origin_y_m = 0.0;
  std::optional<double> net_volume_m3;
  std::optional<InnerBox> inner;
  BoxDamping damping = BoxDamping::kNone;
  std::vector<SubjectPort> ports;
  std::vector<SubjectRadiator> radiators;
  double left_wing_m = 0.0;  ///< of an open baffle, how far back
  double right_wing_m = 0.0;
  std::vector<SubjectCrossover> crossovers;

  /// What the net volume acts as: fibres take up heat, and the air's compliance grows, by up to 1.4
  /// times, 1.2 in a usual filling (Small 1972, part I). Nothing where no volume is told.
  [[nodiscard]] std::optional<double> acoustic_volume_m3() const;
  /// All ports as pipes; none where one of them is not fully told.
  [[nodiscard]] std::vector<PortGeometry> pipes() const;
  [[nodiscard]] const SubjectDriver* driver(const std::string& id) const;
  /// The driver as a piston on the baffle; errors name the driver.
  [[nodiscard]] Result<BafflePiston> piston(const SubjectDriver& driver) const;
};

/// How much more compliant a filling makes the air of a box.
[[nodiscard]] inline double filling_factor(BoxDamping damping) {
  return damping == BoxDamping::kFilled ? 1.2 : 1.0;
}

/// A driver's waveguide where something tells of one; what is missing of it is 25 mm, 150 mm, 45
/// degrees. An error where it cannot be.
[[nodiscard]] Result<std::optional<Waveguide>> waveguide_of(const DescribedDriver& told,
                                                            const std::string& where);

/// Geometry from a description. Impossible sizes are errors that name their place.
/// @param where  file or subject, for messages.
[[nodiscard]] Result<SubjectGeometry> geometry_of(const Description& description,
                                                  const std::string& where);

}  // namespace lalometer
