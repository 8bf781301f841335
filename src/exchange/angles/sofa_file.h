#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "acoustics/signal/impulse_response.h"
#include "acoustics/spectrum/response.h"

/// Directivity sets as AES69 files (SOFA, netCDF-4).
namespace lalometer {

/// One direction of a set. Positive horizontal angles are positive azimuths; vertical ones
/// elevations, behind by azimuth 180.
struct SofaDirection {
  double horizontal_deg = 0.0;
  double vertical_deg = 0.0;
  double distance_m = 1.0;
  std::optional<Response> response = std::nullopt;  ///< of transfer functions
  std::optional<ImpulseResponse> impulse = std::nullopt;
};
struct SofaSet {
  std::string convention;
  std::string title;
  std::vector<SofaDirection> directions;
  int off_circles = 0;  ///< directions on neither circle, left out
};

/// Reads conventions with transfer functions (FreeFieldDirectivityTF, GeneralTF) and impulse
/// responses (…FIR, GeneralFIR): one direction a receiver, or one a measurement.
/// Transfer functions are taken for pressures in Pa.
[[nodiscard]] Result<SofaSet> read_sofa(const std::filesystem::path& path);

/// Writes FreeFieldDirectivityTF: one measurement, one receiver a direction. All responses on one
/// axis, with phase (0 where a curve has none, which a comment says). The file must not exist.
[[nodiscard]] Result<void> write_sofa(const SofaSet& set, const std::filesystem::path& path);

}  // namespace lalometer
