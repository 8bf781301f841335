#pragma once

#include <complex>
#include <string>
#include <vector>

namespace lalometer {

/// One part of a ladder between amplifier and driver: a resistor, coil and capacitor in series with
/// each other, standing either in the line or across it. Parts that are 0 are absent (a capacitor
/// of 0 means none in series). Parts inside stand in series with its own elements, joined to each
/// other in series or in parallel, and may hold parts again: a coil beside a resistor, a trap.
struct LadderPart {
  enum class Place { kSeries, kShunt };
  enum class Join { kSeries, kParallel };
  Place place;
  double resistance_ohm = 0.0;
  double inductance_h = 0.0;
  double capacitance_f = 0.0;
  Join join = Join::kSeries;
  std::vector<LadderPart> parts = {};  ///< their own places do not count
  std::string name = {};               ///< of a list of parts; empty: by its kind and order
  bool off = false;                    ///< switched off to see what it does: not in the circuit

  [[nodiscard]] std::complex<double> impedance_ohm(double frequency_hz) const;
};

/// From the amplifier's terminals to the load.
using Ladder = std::vector<LadderPart>;
/// Without what is switched off: a wire in the line, nothing across.
[[nodiscard]] Ladder switched_on(const Ladder& ladder);

struct LadderState {
  std::complex<double> input_ohm;  ///< what the amplifier sees
  std::complex<double> transfer;   ///< voltage at the load over voltage at the amplifier
};
/// By walking from the load to the source. A shunt part of exactly 0 ohm is a short and gives
/// transfer 0.
[[nodiscard]] LadderState solve_ladder(const Ladder& ladder, std::complex<double> load_ohm,
                                       double frequency_hz);

}  // namespace lalometer
