#pragma once

#include "workbench/sharing/importing.h"

namespace lalometer {

/// An impedance, and the smooth error that its rig may have, per cent.
struct SourceImpedance {
  Response curve;
  double calibration_percent;
  Take take = {};  ///< that it is of
};
/// The first one of the condition ("in-box", "free-air", "added-mass", "test-box"); else the first
/// that does not say; else the first. A take's rig tells its own error.
/// @param only  never one that says another condition: for what is printed as that condition's.
[[nodiscard]] Result<SourceImpedance> impedance_in(const ImportPreview& preview,
                                                   const std::string& condition,
                                                   const std::string& where, bool only = false);

}  // namespace lalometer
