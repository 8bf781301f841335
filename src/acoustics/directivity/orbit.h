#pragma once

#include <optional>
#include <string>
#include <vector>

#include "acoustics/spectrum/response.h"

namespace lalometer {

/// The two circles of a loudspeaker's angles: horizontal (about the vertical axis) and vertical.
enum class Plane { kHorizontal, kVertical };

/// Responses of one loudspeaker at many angles, one distance and drive. All on one axis.
class Orbit {
 public:
  struct Ray {
    double degrees;  ///< -180 < degrees <= 180
    Response curve;
    bool mirrored = false;              ///< the other side stands in for it
    std::vector<double> level_db = {};  ///< of the curve; make() fills it where it is empty
  };
  /// Curves at angles of both planes; 0 and 180 belong to both. An angle that is given twice counts
  /// once, the first. They are brought to the axis of the ray at 0 (the one nearest to it where
  /// there is none), cut to what all reach, valid where all are.
  /// @return an error without rays.
  [[nodiscard]] static Result<Orbit> make(std::vector<Ray> horizontal, std::vector<Ray> vertical);

  [[nodiscard]] const FrequencyAxis& axis() const { return *axis_; }
  [[nodiscard]] const ValidRange& valid() const { return valid_; }
  /// Rising in angle.
  [[nodiscard]] const std::vector<Ray>& rays(Plane plane) const {
    return plane == Plane::kHorizontal ? horizontal_ : vertical_;
  }
  /// Within half a degree; null where there is none.
  [[nodiscard]] const Ray* at(Plane plane, double degrees) const;
  [[nodiscard]] const Ray* on_axis() const { return at(Plane::kHorizontal, 0.0); }

  /// The missing side of each plane from the other one, marked.
  [[nodiscard]] Orbit mirrored() const;

  /// Level at an angle between rays, dB, by straight lines over the angle; nothing where the next
  /// rays lie more than `widest_deg` apart.
  [[nodiscard]] std::optional<std::vector<double>> level_at(Plane plane, double degrees,
                                                            double widest_deg = 15.0) const;

 private:
  Orbit() = default;
  std::optional<FrequencyAxis> axis_;
  ValidRange valid_{0.0, 1e12};
  std::vector<Ray> horizontal_;
  std::vector<Ray> vertical_;
};

/// The same loudspeaker as heard along another axis: everything turned, horizontally by
/// `horizontal_deg` and vertically by `vertical_deg`. Directions between the two circles are
/// estimated from both: a direction at polar angle t and roll r has cos^2 r of the horizontal
/// circle's level at t and sin^2 r of the vertical one's, in dB. Exact on the circles themselves.
/// An angle that neither circle carries is left out.
[[nodiscard]] Orbit turned(const Orbit& orbit, double horizontal_deg, double vertical_deg);
/// Level along that axis alone, dB; nothing where the circles do not carry it.
[[nodiscard]] std::optional<std::vector<double>> level_along(const Orbit& orbit,
                                                             double horizontal_deg,
                                                             double vertical_deg);

/// What reading between rays costs: each ray held against the line through its neighbours, over all
/// that lie alike apart; a quarter of it, since the error goes with the square of the step. dB rms
/// from 300 Hz to 10 kHz where valid; nothing with fewer than three rays.
[[nodiscard]] std::optional<double> between_rays_db(const Orbit& orbit, Plane plane);

/// The same set at about so many of its points an octave, from one frequency to another; as it is
/// where it has fewer.
[[nodiscard]] Orbit thinned(const Orbit& orbit, double per_octave, double low_hz = 0.0,
                            double high_hz = 1e12);

/// Levels of a whole curve: what Response::level_db says of each point, in half the time.
[[nodiscard]] std::vector<double> levels_of(const Response& curve);

/// Levels as a response without phase.
[[nodiscard]] Response of_levels(const FrequencyAxis& axis, const std::vector<double>& level_db,
                                 Quantity quantity, ValidRange valid);

/// Angles in degrees, (-180, 180].
[[nodiscard]] double wrapped_deg(double degrees);

}  // namespace lalometer
