#pragma once

#include <optional>
#include <string>

#include "acoustics/impedance/box_signature.h"
#include "acoustics/impedance/fit/box_fit.h"
#include "acoustics/impedance/fit/driver_fit.h"
#include "acoustics/spectrum/response.h"

namespace lalometer {

/// Which of a vented box's three losses is more than an ordinary box's: a leak, the port's own, or
/// that of its air. All three are fitted at once with driver, compliances and tuning (complex least
/// squares about both humps; without phase the magnitude alone), two of them as ordinary boxes have
/// them beforehand, the third free; what the driver in free air tells is held within 5 %.
struct LossKinds {
  /// Of the fit with that one free, over the least of the three: 0 for the best (Schwarz 1978).
  double leak = 0.0, port = 0.0, absorption = 0.0;
  /// By the best fit.
  double leak_q = 0.0, port_q = 0.0, absorption_q = 0.0;
  /// Each by the fit with that one free.
  double leak_alone_q = 0.0, port_alone_q = 0.0, absorption_alone_q = 0.0;
  double departs_percent = 0.0;  ///< rms, of the best fit
  bool follows = true;           ///< within a few times of what the rows scatter
  /// Without the lower hump's far side the kinds are hardly parted.
  bool whole = true;
  bool by_driver = true;  ///< told by its driver in free air, too; else they are parted less still
  /// All three together.
  [[nodiscard]] double total_q() const {
    return 1.0 / (1.0 / leak_q + 1.0 / port_q + 1.0 / absorption_q);
  }
  /// The three of the best fit, and what they are told by.
  [[nodiscard]] std::string said() const;
  /// How much likelier a kind is by its criterion than by the others', and by how large its loss
  /// would be.
  [[nodiscard]] double ratio(double own, double other, double q) const;
};
/// A start for it where a curve does not reach below the lower hump, so that no box was fitted: by
/// the driver in free air, the valley and the upper hump (Small 1973). Nothing where there is no
/// valley.
[[nodiscard]] std::optional<BoxFit> box_from_free_air(const Response& impedance,
                                                      const DriverFit& free_air,
                                                      double upper_hump_hz);
/// A start without free air, by what the curve shows of its humps and the valley.
[[nodiscard]] std::optional<BoxFit> box_from_humps(const Response& impedance,
                                                   const ImpedancePeak& upper_hump);
/// @param crossed  the drawing has a crossover: its coil and what it has across are fitted along.
/// @param free_air  of its driver; null: not taken. Nothing where the curve has too few points.
[[nodiscard]] std::optional<LossKinds> loss_kinds(const Response& impedance, const BoxFit& box,
                                                  const DriverFit* free_air, bool crossed);

}  // namespace lalometer
