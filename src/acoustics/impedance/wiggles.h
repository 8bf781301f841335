#pragma once

#include <vector>

#include "acoustics/impedance/estimate.h"
#include "acoustics/impedance/fit/impedance_model.h"
#include "acoustics/spectrum/response.h"
#include "base/progress.h"

namespace lalometer {

/// A small loop in an impedance: a resonance of the box's air, of a panel, the port's pipe, the
/// suspension or the cone, too weak for the lumped model.
struct Wiggle {
  Estimate frequency_hz;
  double height_ohm;      ///< greatest departure from the smooth curve
  double height_percent;  ///< the same over the magnitude there
  double q;
  /// Half the drop of the squared residuals over their variance; from 19 up it counts (at one place
  /// tried that is a chance of 1 in 10^8, and some thousand places are tried).
  double significance;
};

struct WiggleSearch {
  double low_hz = 10.0;
  double high_hz = 20000.0;
  double least_percent = 0.5;
  /// Above, the model was not fitted and is not used; there a rational function with broad poles is
  /// the ground (network_ground.h), without phase the curve itself.
  double model_to_hz = 1e12;
  double least_q = 4.0;  ///< broader ones are the crossover's or the coil's and belong to the curve
  /// The same over a network's ground, whose poles are as sharp as `least_q`: what it misses of a
  /// crossover under noise looks a little sharper than they.
  double least_q_over_network = 5.5;
  /// Where the bass impedance peaks stand the lumped model itself may be a little off, with their
  /// Q: only sharper ones are told there. An empty range: nowhere.
  ValidRange humps = {1.0, 0.0};
  double least_q_there = 12.0;
};

/// Local departures from the smooth curve, strongest first: the logarithm of Z over the model is
/// searched by the shape of a single resonance a / (1 + j Q (f/f0 - f0/f)) on a slowly bending
/// ground, one after another, each taken out before the next. Points must lie densely enough: at
/// least 1.5 to a bandwidth. Curves without phase are searched by magnitude alone.
/// @param smooth  the fitted lumped model. None: only the ground is used, and bass impedance peaks
/// of a Q above 4 would be found too.
/// @param parallel  for the two stretches, over the model and above it
[[nodiscard]] std::vector<Wiggle> find_wiggles(const Response& impedance,
                                               const FittedImpedance* smooth,
                                               const WiggleSearch& search = {},
                                               const Parallel& parallel = in_turn);

}  // namespace lalometer
