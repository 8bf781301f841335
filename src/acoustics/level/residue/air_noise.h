#pragma once

#include <optional>
#include <vector>

#include "acoustics/impedance/estimate.h"

/// What the air in a port's mouth adds as it goes faster.
namespace lalometer {

/// What a piston's pressure on its axis, rho omega v times this, is near by: sqrt(a^2 + z^2) - z,
/// its radius in the plane of its mouth (Keele 1974; the exact axis of a piston, ka well below 1).
[[nodiscard]] double near_length_m(double radius_m, double distance_m);

/// Peak speed of the air in a port from its near field at the middle of its mouth.
/// @param near_pa   rms of the fundamental there.
/// @param radius_m  effective, > 0.
[[nodiscard]] double port_air_speed_m_s(double near_pa, double frequency_hz, double radius_m,
                                        double distance_m = 0.0);

/// One drive, where the air goes fastest.
struct AirNoisePoint {
  double drive_v = 0.0;
  double frequency_hz = 0.0;
  double speed_m_s = 0.0;  ///< peak
  double noise_pa = 0.0;   ///< rms of what is none of the first ten orders; 0: not heard
  double background_pa = 0.0;
  double fundamental_pa = 0.0;

  [[nodiscard]] bool heard() const { return noise_pa >= 2.0 * background_pa && noise_pa > 0.0; }
  /// Under the port's own tone, dB.
  [[nodiscard]] double under_db() const;
};

struct AirNoise {
  std::vector<AirNoisePoint> points;  ///< slowest first
  /// Where the noise rises as high as the background, between two points or beyond the slowest by
  /// the growth; nothing: not heard at all.
  std::optional<double> heard_from_m_s = std::nullopt;
  /// How its pressure grows with the speed: v to this power (dipoles of turbulence: about 3); needs
  /// two points that are heard.
  std::optional<double> power = std::nullopt;
};
[[nodiscard]] AirNoise air_noise_of(std::vector<AirNoisePoint> points);

}  // namespace lalometer
