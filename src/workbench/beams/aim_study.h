#pragma once

#include "acoustics/impedance/estimate.h"
#include "workbench/angles/orbit_material.h"

namespace lalometer {

/// A direction to listen from, and how smooth the response is there.
struct Aim {
  double horizontal_deg = 0.0;
  double vertical_deg = 0.0;
  double roughness_db = 0.0;  ///< rms off its own trend (or the target), over a sixth of an octave
};

struct AimStudy {
  Aim here;  ///< the axis as it is
  Aim best;
  ValidRange over = {0.0, 0.0};
  /// 95 % half-width of a difference in roughness: reading between rays, and 0.5 degrees of table.
  double uncertainty_db = 0.0;
  [[nodiscard]] bool real() const { return here.roughness_db - best.roughness_db > uncertainty_db; }
};

/// The smoothest axis within 30 degrees to each side and 15 up and down, of what the two circles
/// carry, in steps of 2.5 degrees; off the circles it is an estimate (turned()).
/// @param target_db  over the orbit's axis, at any offset; empty: its own straight trend.
/// @return nothing without a response at 0 degrees, or over less than two octaves.
[[nodiscard]] std::optional<AimStudy> best_axis(const Orbit& orbit,
                                                const std::vector<double>& target_db = {});

/// Half-width of a level read between rays at the given axis, dB; 0 on a ray. Off the circles a
/// third of the two circles' difference there is in it (see decisions/angles.md).
[[nodiscard]] double turning_error_db(const Orbit& orbit, double horizontal_deg,
                                      double vertical_deg);

}  // namespace lalometer
