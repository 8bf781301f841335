#pragma once

#include "acoustics/impedance/box_signature.h"
#include "workbench/results/impedance_reading.h"
#include "workbench/studies/wiggle_causes.h"
#include "workbench/telling/told.h"

namespace lalometer {

/// A driver's parameters with the keys of `lalometer-cli thiele-small`.
/// @param free_air  the curve, for the check by three frequencies; may be null.
/// @param sd_m2     0: not known.
[[nodiscard]] Told told_of(const ThieleSmall& parameters, const DriverFit& fit, double sd_m2,
                           const Response* free_air);

/// What a box's impedance tells, with the keys of `lalometer-cli box-impedance`.
struct BoxImpedance {
  const Response* impedance;
  const ImpedanceReading* reading;
  std::optional<double> re_ohm = std::nullopt;
  /// Of the driver alone, where it was given.
  std::optional<ClosedSignature> alone = std::nullopt;
  WiggleContext context = {};
};
[[nodiscard]] Told told_of(const BoxImpedance& box);

/// Figure, value, uncertainty and unit, a line each.
[[nodiscard]] std::string parameters_csv(const ThieleSmall& parameters);

}  // namespace lalometer
