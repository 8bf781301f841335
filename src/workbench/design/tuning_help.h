#pragma once

#include <optional>
#include <string>
#include <vector>

#include "acoustics/enclosure/port.h"
#include "acoustics/impedance/estimate.h"
#include "base/result.h"

namespace lalometer {

/// The box as it is now and where its tuning is wanted.
struct TuningTask {
  Estimate measured_hz;  ///< fB by the impedance
  double wanted_hz;
  std::optional<double> volume_m3 = std::nullopt;
  std::vector<PortGeometry> ports = {};
  /// Of a passive radiator: moving mass with what is on it now, kg.
  std::optional<double> radiator_mass_kg = std::nullopt;
  /// Its own resonance where it is known: then its suspension is counted.
  std::optional<double> radiator_own_hz = std::nullopt;
};

/// One way to get there. The next sweep has to confirm it.
struct TuningStep {
  std::string what;  ///< "Cut 23 mm off each port (106 mm remain)"
  double amount;     ///< m of length, m of slot width, kg; below 0: take away
  double uncertainty;
  std::string caution;  ///< may be empty
};

/// From the measured tuning, not from the drawing: fB^2 goes as area over acoustic length, so what
/// the port really does (end corrections, lining in its way) cancels. Length to cut or to add, slot
/// width to cover, mass to add to the radiator. A tuning that is there already within its
/// uncertainty asks for nothing. Refused: a wanted frequency that is none, more than a factor of 2
/// away, or neither port nor radiator told.
[[nodiscard]] Result<std::vector<TuningStep>> tuning_steps(const TuningTask& task);

}  // namespace lalometer
