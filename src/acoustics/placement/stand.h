#pragma once

#include <optional>
#include <string>
#include <vector>

namespace lalometer {

/// Where loudspeaker and microphone stand, metres. The measuring axis runs from the middle of the
/// baffle (or the listening axis on it) to the microphone. Surfaces that are not there have no
/// value.
struct Stand {
  double distance_m = 1.0;
  double speaker_height_m = 1.2;  ///< of the axis where it leaves the baffle, above the floor
  double microphone_height_m = 1.2;
  std::optional<double> ceiling_m = std::nullopt;  ///< above the floor
  std::optional<double> left_m = std::nullopt;     ///< from the axis to that wall
  std::optional<double> right_m = std::nullopt;
  std::optional<double> nearest_m = std::nullopt;         ///< to a wall beside it that nobody named
  std::optional<double> behind_speaker_m = std::nullopt;  ///< from the baffle
  std::optional<double> behind_microphone_m = std::nullopt;  ///< from the microphone
  /// Both lie on a hard, wide floor: its mirror image falls in with the direct sound (6 dB more)
  /// and nothing comes late from it.
  bool ground_plane = false;
};

/// What is wrong with a stand, in words; empty where it can be.
[[nodiscard]] std::string trouble_of(const Stand& stand);

struct SurfaceReflection {
  std::string surface;  ///< "floor", "ceiling", "left wall", "wall behind the microphone", ...
  double path_m;        ///< loudspeaker, surface, microphone
  double later_m;       ///< than the direct way
  double delay_s;       ///< after the direct sound
  double along;         ///< where it bounces, as a share of the way from baffle to microphone
};

/// First-order mirror reflections, the earliest first. Flat, hard surfaces at right angles; the
/// loudspeaker is a point on its baffle (low drivers stand nearer to the floor, which is said in
/// the manual). Precondition: the stand has no trouble.
[[nodiscard]] std::vector<SurfaceReflection> reflections_of(const Stand& stand, double c);

/// What a sound that comes later was reflected by, as far as the stand tells.
struct NamedReflection {
  std::string name;  ///< a surface; empty: none of the stand's surfaces comes then
  double later_m;    ///< its way is longer than the direct one by so much
  /// The surface's own delay less the heard one, s; 0 without a name.
  double off_s = 0.0;
};
/// The surface whose mirror image comes within `tolerance_s` or 4 % of the delay; the nearest where
/// several do.
[[nodiscard]] NamedReflection named_reflection(const Stand& stand, double delay_s, double c,
                                               double tolerance_s = 0.00025);

/// What the first reflection leaves: a gate of T = its delay, nothing valid below 1/T, nothing
/// finer than 1/T resolved (C. Struck and S. Temme, J. Audio Eng. Soc. 42 (1994) 467).
struct GateAllowance {
  std::optional<double> gate_s = std::nullopt;  ///< nothing: no surface near
  double valid_from_hz = 0.0;
  std::string limited_by = {};  ///< surface
};
[[nodiscard]] GateAllowance allowance_of(const Stand& stand, double c);

/// From where on the level falls as from one point, near enough for a loudspeaker whose largest
/// sounding side is L: 3 L (common practice, no source; at 3 L a rim is 1.4 % farther away than the
/// middle).
[[nodiscard]] double far_field_m(double largest_m);
/// Up to which frequency sources L apart are heard as from afar at a distance r: the rim's way is
/// then L^2 / (8 r) longer than the middle's, an eighth of a wavelength at f = c r / L^2 (follows
/// from Pythagoras; the eighth is common practice).
[[nodiscard]] double far_field_up_to_hz(double largest_m, double distance_m, double c);

/// Heights and distance that let the longest gate: both half-way between floor and ceiling (as high
/// as the stand goes where there is none), at the nearest distance that is still far field. On the
/// ground plane the heights are 0.
[[nodiscard]] Stand suggested(const Stand& stand, double largest_m, double highest_m);

}  // namespace lalometer
