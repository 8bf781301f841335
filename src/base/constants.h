#pragma once

#include <cmath>

/// Physical constants of the core, each with its origin. SI units.
namespace lalometer {

inline constexpr double kPi = 3.14159265358979323846;

/// Half-width of the normal distribution's two-sided 95 % interval, in standard deviations.
inline constexpr double kTwoSided95 = 1.959964;

/// Reference pressure of a sound pressure level in air, Pa rms. ISO 1683.
inline constexpr double kReferencePressure_pa = 20e-6;

/// Density of dry air at 20 degC and 101.325 kPa, kg/m^3 (ideal gas: p M / (R T), M = 28.965
/// g/mol).
inline constexpr double kAirDensity_kg_m3 = 1.204;

/// Speed of sound at 20 degC as practitioners use it, m/s (common practice, no source).
inline constexpr double kSpeedOfSound20_m_s = 343.0;

/// Speed of sound in dry air, m/s: 343 at 20 degC and proportional to the root of the absolute
/// temperature (ideal gas). Valid for the temperatures people measure at, -20..50 degC.
[[nodiscard]] inline double speed_of_sound_m_s(double temperature_c) {
  return kSpeedOfSound20_m_s * std::sqrt((temperature_c + 273.15) / 293.15);
}

}  // namespace lalometer
