#pragma once

#include <complex>
#include <cstddef>
#include <span>
#include <vector>

#include "acoustics/network/ladder.h"

namespace lalometer {

/// One ladder with its driver; several stand in parallel at the amplifier's terminals.
struct NetworkBranch {
  Ladder ladder;
  std::complex<double> load_ohm;
};

/// One element of a solved network (a resistor, coil and capacitor in series count as one).
struct PartState {
  std::size_t branch;
  /// Which part of the ladder, then which of the parts inside it, and so on.
  std::vector<std::size_t> path;
  std::complex<double> volts;  ///< across it, for one volt of the amplifier
  std::complex<double> amps;   ///< through it, from amplifier to driver or to ground
};

struct NetworkState {
  std::complex<double> input_ohm;              ///< of all branches together, without the source
  std::vector<std::complex<double>> transfer;  ///< load's voltage over the amplifier's open voltage
  std::vector<PartState> parts;
};

/// Solved by nodes: Kirchhoff's current law at every node, one complex linear system (any text on
/// circuits; C.-W. Ho, A. Ruehli, P. Brennan, IEEE Trans. CAS 22 (1975) 504). Branches load one
/// another through the source. Wires count as a nanoohm.
/// @param source_ohm  resistance between the amplifier and its terminals, >= 0.
[[nodiscard]] NetworkState solve_network(std::span<const NetworkBranch> branches, double source_ohm,
                                         double frequency_hz);

}  // namespace lalometer
