#pragma once

#include <optional>
#include <string>
#include <vector>

#include "acoustics/impedance/box_signature.h"
#include "acoustics/impedance/fit/box_fit.h"
#include "acoustics/impedance/thiele_small.h"
#include "acoustics/impedance/wiggles.h"

namespace lalometer {

/// What stood behind the driver while an impedance was taken.
enum class ImpedanceRole { kDriver, kClosedBox, kVented, kRadiator };
/// By a take's condition ("free-air", "in-box", ...) and its subject's loading; nothing where
/// neither tells.
[[nodiscard]] std::optional<ImpedanceRole> impedance_role(const std::string& condition,
                                                          const std::string& loading);
/// Where nobody told: two bass impedance peaks are a vented box's, one is a driver's.
[[nodiscard]] ImpedanceRole guessed_role(const Response& impedance);

/// All that one impedance curve tells by itself.
struct ImpedanceReading {
  ImpedanceRole role = ImpedanceRole::kDriver;
  std::optional<DriverFit> driver;  ///< of kDriver and kClosedBox
  std::optional<BoxFit> box;        ///< of kVented and kRadiator
  std::string refusal;              ///< why neither is there
  std::vector<ImpedancePeak> peaks;
  std::optional<ImpedanceMinimum> minimum;
  std::optional<double> nominal_ohm;
  std::optional<PeakDissipation> dissipation;
  std::vector<Wiggle> wiggles;
  /// The same by three frequencies alone, as a check.
  std::optional<ClosedSignature> three_points;
  std::vector<std::string> notes;

  /// The fitted model, where there is one.
  [[nodiscard]] const FittedImpedance* motor() const;
};
/// @param calibration_percent  half-width of the rig's smooth error; 0: not counted.
[[nodiscard]] ImpedanceReading read_impedance(
    const Response& impedance, ImpedanceRole role, std::optional<double> re_ohm = std::nullopt,
    double calibration_percent = kUsualCalibration_percent);

/// One line of a reading: name, value with uncertainty and unit, and what it means.
struct ReadFigure {
  std::string key;   ///< as in JSON: "fs_hz"
  std::string name;  ///< as people say it: "fs"
  Estimate value;
  std::string unit;
  std::string meaning;  ///< may be empty
};
/// In the order people look at them.
[[nodiscard]] std::vector<ReadFigure> figures_of(const ImpedanceReading& reading);

/// "38.02 ± 0.06 Hz": as many digits as the uncertainty lets mean something.
[[nodiscard]] std::string with_uncertainty(const Estimate& value, const std::string& unit);

}  // namespace lalometer
