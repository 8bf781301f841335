#pragma once

#include <filesystem>
#include <optional>

#include "acoustics/enclosure/driver_circuit.h"
#include "base/result.h"

namespace lalometer {

/// A driver's parameters from a JSON file: fs_hz, qms, qes, vas_l, sd_cm2, re_ohm, optional le_mh,
/// xmax_mm, power_w; each a number or an object with "value", as `lalometer-cli thiele-small`
/// prints them. Missing or impossible figures are errors that name file and key.
struct DriverFile {
  DriverParameters driver;
  std::optional<double> xmax_m;
  std::optional<double> power_w;
};
[[nodiscard]] Result<DriverFile> read_driver(const std::filesystem::path& path);

}  // namespace lalometer
