#pragma once

#include <optional>

#include "acoustics/impedance/fit/box_fit.h"

namespace lalometer {

/// How a vented box's own response stands against the best that another tuning of the same driver
/// in the same volume would give. By the fitted circuit, half space.
struct Alignment {
  double hump_db = 0.0;  ///< above the mean from 4 to 8 times the driver's resonance
  double f6_hz = 0.0;  ///< 6 dB under that mean: of a driver that slopes by itself 3 dB tell little
  double best_f6_hz = 0.0;
  /// How low it goes, whatever shelf it has: where a steep filter would end that takes as much away
  /// over log f, losses counted to 12 dB.
  double reach_hz = 0.0;
  double best_reach_hz = 0.0;
  double best_fb_hz = 0.0;  ///< the lowest reach with a hump of at most 1 dB, else the least hump
  double best_hump_db = 0.0;
};
/// A driver in a vented box, by the numbers that make its response.
struct TunedBox {
  double fs_hz, qms, qes;
  double alpha;  ///< compliance of the suspension over that of the box's air
  double fb_hz;
  double ql;
};
[[nodiscard]] TunedBox tuned(const BoxFit& fit);
/// The same where the curve begins above the lower hump: the driver from free air, the tuning as
/// drawn, and from the upper hump what the box's air adds, by fL fH = fs fB and fL^2 + fH^2 = fs^2
/// (1 + alpha) + fB^2 (Small 1973, without losses); its own losses are set to a usual box's.
/// Nothing where no air makes that hump.
[[nodiscard]] std::optional<TunedBox> tuned_by_upper_hump(double fs_hz, double qms, double qes,
                                                          double upper_hump_hz, double fb_hz);

/// Tunings from half to twice the driver's resonance are tried. Nothing where none falls at all.
[[nodiscard]] std::optional<Alignment> alignment_of(const TunedBox& box);

}  // namespace lalometer
