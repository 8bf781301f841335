#pragma once

#include <optional>

#include "diagnosis/cause.h"
#include "diagnosis/view/view.h"

namespace lalometer {

/// What near fields of cone, ports and passive radiators say of the bass by themselves: volume
/// velocities go as near pressure times radius (Keele 1974).
struct BassFlow {
  /// Flow of all ports or radiators over the cone's where it is largest, near the tuning: all
  /// losses of the box as one Q. A microphone by the cone hears the port as well: where the takes
  /// do not tell how much (crosstalk_share()), more than some 10 is not told.
  std::optional<double> total_q = std::nullopt;
  double tuning_hz = 0.0;  ///< where that is
  /// The deepest hole of the sum below the tuning, dB under a run over half an octave to each side.
  double hole_db = 0.0;
  double hole_hz = 0.0;
  /// A radiator's own resonance over the tuning. The cone's flow over the radiator's is
  /// -(a - b f^2) but for losses, a = 1 + its stiffness over the box's air, nothing at the tuning:
  /// own resonance at sqrt((a - 1) / a) of it (Small 1974). An area 5 % off moves 0.75 by 0.015,
  /// 0.5 by 0.04. Not told where the curves cover too little about the tuning.
  std::optional<double> own_share = std::nullopt;
};
/// Nothing where a near field of the cone and one of every port or radiator is not there.
[[nodiscard]] std::optional<BassFlow> bass_flow(const CaseView& view);

/// What the flows say of a lossy box. @param beside  the impedance told the same Q already.
bool saw_flow(Claim& claim, const CaseView& view, bool beside);

}  // namespace lalometer
