#pragma once

#include <complex>
#include <string>
#include <vector>

#include "acoustics/network/ladder.h"

/// Ladders of the usual shapes, by their elements' logarithms, so that they can be fitted.
namespace lalometer {

struct LowShape {
  int order = 2;           ///< coils in the line and capacitors across, a coil first
  bool damped = false;     ///< a resistor in series with the first capacitor across
  bool flattened = false;  ///< resistor and capacitor across the driver, against its coil
  bool trapped = false;    ///< coil, capacitor and resistor beside one another in the line
  [[nodiscard]] int parts() const;
};
enum class PadShape { kNone, kSeries, kFront, kBoth };
struct HighShape {
  int order = 2;  ///< capacitors in the line and coils across, a capacitor first
  /// A resistor in the line before the driver; before all; one in the line and one across.
  PadShape pad = PadShape::kNone;
  bool trapped = false;  ///< coil, capacitor and resistor in series across the driver
  [[nodiscard]] int parts() const;
};

/// A ladder's elements, logarithms of henry, farad and ohm, in the order of its making.
using LadderTheta = std::vector<double>;
/// Usual air coils: 0.35 ohm at 1 mH, with the root of the inductance (common practice, no source).
[[nodiscard]] double coil_resistance_ohm(double henry);
[[nodiscard]] Ladder ladder_of(const LowShape& shape, const LadderTheta& theta);
[[nodiscard]] Ladder ladder_of(const HighShape& shape, const LadderTheta& theta);

/// Butterworth values into a load to begin with.
/// @param coil_h  of the driver, for what flattens it
/// @param trap_hz  where the trap begins
[[nodiscard]] LadderTheta first_values(const LowShape& shape, double corner_hz, double load_ohm,
                                       double coil_h, double trap_hz);
/// @param ratio  of the voltage that the pad leaves
[[nodiscard]] LadderTheta first_values(const HighShape& shape, double corner_hz, double load_ohm,
                                       double ratio, double trap_hz);

/// What an element of a theta may be: the logarithm's lowest and highest.
struct ElementRange {
  double low, high;
};
[[nodiscard]] std::vector<ElementRange> ranges_of(const LowShape& shape);
[[nodiscard]] std::vector<ElementRange> ranges_of(const HighShape& shape);

}  // namespace lalometer
