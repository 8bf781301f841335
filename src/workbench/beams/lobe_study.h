#pragma once

#include "acoustics/impedance/estimate.h"
#include "workbench/angles/orbit_material.h"

namespace lalometer {

/// What two drivers do together about their crossover, in the plane of their spacing.
struct LobeReading {
  std::string low, high;  ///< ids of the drivers
  double crossover_hz = 0.0;
  Plane plane = Plane::kVertical;
  std::optional<Estimate> tilt_deg = std::nullopt;     ///< of the main lobe; up or right above 0
  std::optional<double> null_plus_deg = std::nullopt;  ///< nearest dip of 6 dB or more
  std::optional<double> null_minus_deg = std::nullopt;
  /// By the complex sum of both drivers' own responses on the axis, at their places and with their
  /// pistons' directivity; nothing where they were not taken alone, with one time.
  std::optional<double> expected_tilt_deg = std::nullopt;
  std::optional<double> off_sum_db = std::nullopt;  ///< rms of the map against that, +-40 degrees
  std::vector<std::string> notes = {};
};
/// One for each crossover that the drawing tells, a third of an octave wide about it.
[[nodiscard]] std::vector<LobeReading> lobe_readings(const OrbitMaterial& material);

/// Between what two drivers can meet, as far as sizes, places and figures tell.
struct CrossoverWindow {
  std::string low, high;
  struct Limit {
    std::string what;  ///< "twice the resonance of tweeter"
    double frequency_hz;
    bool lowest;  ///< it must be above this; else below
  };
  std::vector<Limit> limits = {};
  std::optional<double> from_hz = std::nullopt;
  std::optional<double> to_hz = std::nullopt;
  std::vector<std::string> notes = {};
};
/// Lower limit: twice the upper driver's resonance (common practice, no source). Upper limits: the
/// lower driver is 6 dB down at 45 degrees (piston), its break-up, and the centres one wavelength
/// apart (common practice). Where the upper driver was swept by itself, THD of 3 % is a lower
/// limit.
/// @param clean_from_hz  above it the upper driver's THD stays under 3 %; 0: everywhere; nothing:
///   nobody looked
[[nodiscard]] CrossoverWindow crossover_window(const SubjectDriver& low, const SubjectDriver& high,
                                               std::optional<double> clean_from_hz,
                                               double speed_of_sound_m_s);
[[nodiscard]] std::vector<CrossoverWindow> crossover_windows(const OrbitMaterial& material);

[[nodiscard]] std::string spoken(const LobeReading& reading);
[[nodiscard]] std::string spoken(const CrossoverWindow& window);

}  // namespace lalometer
