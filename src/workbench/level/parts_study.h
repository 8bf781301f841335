#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "book/description/subject_geometry.h"
#include "workbench/level/rub_study.h"

/// What each radiating part adds by itself: near fields of cones, ports and radiators side by side.
namespace lalometer {

/// One part, as it reaches the far field: its near pressure by a^2 / near_length_m(), which is its
/// effective radius a where the microphone is in its plane (Keele 1974).
struct PartReading {
  std::string source;
  double radius_m = 0.0;
  int count = 1;      ///< of equal ones
  bool port = false;  ///< a port or a passive radiator
  double distance_m = 0.0;
  std::shared_ptr<const DistortionReading> distortion = nullptr;
  std::shared_ptr<const RubReading> rub = nullptr;
};

struct PartsReading {
  std::vector<PartReading> parts;  ///< of one drive
  double drive_v = 0.0;
  FrequencyAxis axis;
  /// Per part and frequency: what each order has of the sum of all fundamentals' volume velocities,
  /// ratio; [part][order - 1][frequency], orders 1 to 5. NaN where it is not heard.
  std::vector<std::vector<std::vector<double>>> share = {};
  /// Where the ports together give more than the cones.
  std::optional<ValidRange> port_leads = std::nullopt;
  /// Third octaves in which a part's THD re the whole is over 3 %, and which part has most of it.
  struct Culprit {
    double low_hz = 0.0;
    double high_hz = 0.0;
    std::size_t part = 0;
    double percent = 0.0;
    double of_cone_percent = 0.0, of_port_percent = 0.0;
  };
  std::vector<Culprit> culprits = {};
  std::vector<std::string> notes = {};
};

/// @param parts  at least one cone; all of one drive. An error where a radius is not told.
[[nodiscard]] Result<PartsReading> parts_reading(std::vector<PartReading> parts);

/// Which of these near fields stand side by side: of one variant and sample and, of the drives that
/// most parts have, the highest. Radii by the drawing. Empty where fewer than two parts do.
struct PartTake {
  std::size_t index = 0;  ///< among the takes
  std::string source;
  double radius_m = 0.0;
  int count = 1;
  bool port = false;
  double distance_m = 0.0;  ///< of the microphone
};
[[nodiscard]] std::vector<PartTake> parts_side_by_side(const std::vector<const Take*>& takes,
                                                       const SubjectGeometry& geometry,
                                                       double drive_v = 0.0);
/// What the drawing tells of a radiating part; nothing where it has no such part or no size.
[[nodiscard]] std::optional<PartTake> part_of(const SubjectGeometry& geometry,
                                              const std::string& source);

[[nodiscard]] std::vector<std::string> spoken(const PartsReading& reading);

}  // namespace lalometer
