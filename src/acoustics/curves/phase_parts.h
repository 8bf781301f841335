#pragma once

#include <optional>
#include <vector>

#include "acoustics/spectrum/response.h"

/// What a phase is made of: that of the magnitude, a delay, a sign, and what is left.
namespace lalometer {

struct PhaseParts {
  /// The curve's magnitude with its own minimum phase (Bode; continued beyond the band as its ends
  /// go).
  Response minimum;
  /// Of the curve's phase, less the minimum phase, the delay and the sign; degrees, wrapped.
  /// All-pass sections of a crossover and late sound stand here.
  std::vector<double> excess_deg;
  double delay_s = 0.0;             ///< later than the phase's zero
  double delay_half_width_s = 0.0;  ///< of its 95 % interval
  bool inverted = false;
  ValidRange read_over;  ///< where the delay was read: within 15 dB of the loudest
};

/// Nothing without phase, or where less than two thirds of an octave tell something.
///
/// The delay: phase less minimum phase is sign, -2 pi f T, and a/f for what the curve does below
/// its valid range; T by least squares over linear frequency. Its interval holds the scatter over
/// the band (leaving out a quarter at a time) and a continuation at the top 9 dB an octave steeper
/// or flatter than the last octave's (4 where it falls by more than 6 dB already). Of a
/// band-limited driver it is the delay of what would be left of it without its own filter: its
/// acoustic centre. Sources: Bode 1945 (minimum phase); R. C. Heyser, J. Audio Eng. Soc. 17 (1969)
/// 30 (time delay of a loudspeaker as its excess phase).
[[nodiscard]] std::optional<PhaseParts> phase_parts(const Response& curve);

/// -d phase / d omega, s, by central differences over the neighbours a twelfth of an octave away;
/// NaN outside the valid range and without phase.
[[nodiscard]] std::vector<double> group_delay_s(const Response& curve);

/// Where a driver's sound seems to come from.
struct HeardDriver {
  double delay_s;             ///< excess delay at the microphone, over a common zero
  double delay_half_width_s;  ///< of its 95 % interval
  double off_axis_m;          ///< from the middle of the driver to the microphone's axis
};
/// How far `a` lies behind `b`, m, positive: farther from the microphone. By the ways of both,
/// their distances from the axis taken out.
/// @param distance_m  of the microphone from the baffle; its error falls out.
/// @param zero_s      flight time that was taken out of both phases.
/// Its half-width is the delays'.
struct AcousticOffset {
  double behind_m;
  double half_width_m;
};
[[nodiscard]] AcousticOffset acoustic_offset(const HeardDriver& a, const HeardDriver& b,
                                             double distance_m, double zero_s,
                                             double speed_of_sound_m_s);

}  // namespace lalometer
