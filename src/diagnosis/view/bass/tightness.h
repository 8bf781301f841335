#pragma once

#include <optional>
#include <string>

#include "acoustics/impedance/fit/driver_fit.h"
#include "acoustics/spectrum/response.h"

namespace lalometer {

/// Whether a sealed box holds its air, by its impedance alone. A leak lets the air out slowly:
/// below the hump the cone is held by its own suspension and braked by the leak, so that the curve
/// stays high where a tight box's falls to Re. Driver, box and leak are fitted at once (complex
/// least squares to 2.5 times the hump; without phase the magnitude), once with a leak as tight
/// boxes have it (Q 60 at the hump, common practice, no source), once with any.
struct Tightness {
  double leak_q = 0.0;  ///< at the hump, by the fit with any leak
  /// How much better that fit is, by the criteria (Schwarz 1978); below 0: a tight box is.
  double better = 0.0;
  double departs_percent = 0.0;  ///< rms, of that fit

  /// How much likelier this is of a leaky box than of a tight one.
  [[nodiscard]] double ratio() const;
  [[nodiscard]] std::string said() const;
};
/// @param free     the driver as it is without the box, where that was taken: then its own losses
///                 and how much stiffer the box makes it are known
/// @param crossed  the drawing has a crossover, which is fitted along.
/// Nothing where the curve has no hump below 400 Hz, or does not reach to a half of it.
[[nodiscard]] std::optional<Tightness> tightness_of(const Response& impedance,
                                                    const DriverFit* free, bool crossed);

}  // namespace lalometer
