#pragma once

#include <optional>

#include "acoustics/impedance/fit/box_fit.h"
#include "acoustics/impedance/fit/driver_fit.h"
#include "acoustics/spectrum/response.h"

namespace lalometer {

/// How well a vented box's impedance is followed where all that its losses are beyond an ordinary
/// box's is a leak, a loss in the port, or absorption; each with the driver, the compliances and
/// the tuning fitted anew (least squares over log |Z|, half an octave to each side of both humps).
/// What the driver in free air tells is held.
struct LossKinds {
  double leak = 0.0, port = 0.0, absorption = 0.0;  ///< rms departure, ratio
  double leak_q = 0.0, port_q = 0.0, absorption_q = 0.0;
  /// How the whole circuit with a leak and absorption (BoxFit) departs, over what the rows scatter.
  double unexplained = 1.0;
  /// Without the lower hump's far side the kinds are hardly parted.
  bool whole = true;
  /// The best of five kinds of port against one of a leak.
  static constexpr double kFlattery = 1.15;
  /// One of the kinds follows the humps as the rows allow: then their shapes tell more than the
  /// whole circuit, whose walls and coil are in its departure too.
  [[nodiscard]] bool exact() const;
  /// How much likelier a kind is by its departure than by the others'.
  [[nodiscard]] double ratio(double other, double own) const;
  /// How much likelier that departure is where the losses are a leak's; below 1: where they are
  /// not.
  [[nodiscard]] double leak_explains() const;
};
/// @param crossed  the drawing has a crossover: its coil and what it has across are fitted along.
/// @param free_air  of its driver; null: not taken. Nothing where the curve has too few points.
[[nodiscard]] std::optional<LossKinds> loss_kinds(const Response& impedance, const BoxFit& box,
                                                  const DriverFit* free_air, bool crossed);

}  // namespace lalometer
