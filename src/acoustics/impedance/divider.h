#pragma once

#include <optional>

#include "acoustics/spectrum/response.h"
#include "base/result.h"

namespace lalometer {

/// The impedance jig: amplifier -> reference resistor -> test terminals. One input takes the
/// voltage before the resistor (the loopback), the other the voltage at the terminals. Their ratio
/// m = V_terminals / V_before is what a two-channel sweep gives.

/// Z = R m / (1 - m) - R_cable, the plain voltage divider. Where m comes so near 1 that |1 - m| <
/// 1e-9 the impedance is out of the jig's reach and the point is refused by name.
/// @param reference_ohm  > 0; cable_ohm >= 0.
[[nodiscard]] Result<Response> impedance_by_divider(const Response& ratio, double reference_ohm,
                                                    double cable_ohm);

/// What was measured at the terminals for three known states, on any axes that cover the ratio's.
struct JigCalibration {
  Response open;
  Response shorted;
  Response known;
  double known_ohm;
};

/// Z = Z_k (m - m_s)(m_o - m_k) / ((m_k - m_s)(m_o - m)): the three-term correction of a linear
/// two-port, exact whatever lies in the jig (gain of the channels, input impedance, cable, resistor
/// tolerance), as long as it does not change between the takes. Derivation: m is a bilinear
/// function of Z, fixed by three points.
[[nodiscard]] Result<Response> impedance_by_calibration(const Response& ratio,
                                                        const JigCalibration& calibration);

}  // namespace lalometer
