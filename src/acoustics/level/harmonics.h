#pragma once

#include <complex>
#include <optional>
#include <vector>

#include "acoustics/impedance/estimate.h"
#include "acoustics/signal/impulse_response.h"
#include "acoustics/signal/sweep.h"
#include "acoustics/spectrum/response.h"

/// What a loudspeaker adds to a sine, from one exponential sweep.
namespace lalometer {

inline constexpr int kHighestOrder = 10;

/// One order over the frequency of the excitation: order 1 is the fundamental.
struct Harmonic {
  int order = 1;
  /// What it has of the excitation's amplitude, in the impulse's unit: for sin(phi) played
  /// |value| sin(order phi + arg value) is heard, the flight time out. The power of the noise is
  /// out of the magnitude.
  std::vector<std::complex<double>> value;
  /// What noise would put here, in the same unit: a harmonic 6 dB above it holds to 0.5 dB (95 %),
  /// and noise gathered over the whole window lies under it.
  std::vector<double> floor;
  /// Standard deviation of the magnitude by noise, relative to it.
  std::vector<double> spread;
  /// The most it may be, heard or not: the upper end of a one-sided 95 % interval by noise.
  std::vector<double> at_most;
  ValidRange valid;  ///< of the excitation's frequency

  /// Not noise: at least 6 dB above the floor, within the valid range.
  [[nodiscard]] bool heard(std::size_t i, double frequency_hz) const {
    return valid.contains(frequency_hz) && std::abs(value[i]) >= 2.0 * floor[i];
  }
};

/// Total harmonic distortion: root of the sum of the squares of all orders heard, over the
/// fundamental (not over all that is heard, as IEC 60268-5 has it: 0.5 % of it less at 10 %).
struct Thd {
  double ratio = 0.0;    ///< of what is heard; 0 where nothing is
  double at_most = 0.0;  ///< with the floors of what is not
  double spread = 0.0;   ///< standard deviation of ratio, relative to it
  bool known = false;    ///< the second order can be looked at here
  /// And the third: without it THD would fall where the band ends, and pass for a threshold.
  bool whole = false;
};

struct Harmonics {
  FrequencyAxis axis;            ///< frequency of the excitation
  std::vector<Harmonic> orders;  ///< 1 to kHighestOrder
  std::vector<Thd> thd;
  /// Of a sweep: in which its frequency grows by e, s; 0: tones that stood still.
  double pace_s = 0.0;

  [[nodiscard]] const Harmonic& order(int n) const {
    return orders[static_cast<std::size_t>(n - 1)];
  }
};

struct HarmonicsWish {
  double points_per_octave = 48.0;
  int smoothing = 24;  ///< 1/N octave on power, of all orders alike; 0: none
  /// The microphone's own distortion, its amplitude over the fundamental's; harmonics below it are
  /// none of the loudspeaker's. 0: not told.
  double microphone_ratio = 0.0;
  /// The same of one that grows with the level: per 1 of the fundamental, in the impulse's unit.
  double microphone_ratio_per_unit = 0.0;

  /// The least that is told of a harmonic beside such a fundamental.
  [[nodiscard]] double least_beside(double fundamental) const {
    return 0.5 * (microphone_ratio + microphone_ratio_per_unit * fundamental) * fundamental;
  }
};

/// Harmonics of a sweep lie before its response, order n by L ln n (Farina 2000): each is cut out
/// there and read over f / n. Between sweeps that are not synchronised the phase of order n is off
/// by 2 pi f1 L (n - 1), which is taken out (Novak, Lotton, Simon 2015, eq. 24 and section 2).
///
/// A window reaches from the pulse to three quarters of the way to the next one, at most 0.3 s, and
/// from there on at the excitation's frequency f is a flat-topped bell of 30 / f, of all orders
/// alike: less noise, and of a room as much in the harmonic as in the fundamental.
///
/// Harmonics are told from the sweep's half octave on (its fade changes the excitation there) and
/// from two roots of its pace off its ends (Fresnel's ripple), from one period in the window, and
/// up to the sweep's end over n.
///
/// @param impulse   as deconvolve() gives it, with what lies before the response.
/// @param arrival_s  of the direct sound on its clock.
/// @param noise     density per root of a second (noise_density()), in the impulse's unit.
[[nodiscard]] Result<Harmonics> harmonics_of(const ImpulseResponse& impulse, double arrival_s,
                                             const SweepSpec& spec, const Response& noise,
                                             const HarmonicsWish& wish = {});

/// From the lowest to the highest frequency at which the fundamental is within so many dB of its
/// loudest.
[[nodiscard]] ValidRange own_band(const Harmonics& h, double down_db);

/// The frequency above which THD stays under a percentage.
struct Threshold {
  std::optional<Estimate> frequency_hz;  ///< nothing: never over it, or never under it, or unknown
  enum class Why { kCrossed, kNeverOver, kNeverUnder, kNoise } why = Why::kNeverOver;
  double seen_from_hz =
      0.0;  ///< of kNeverOver: as far down as was looked; of kNoise: down to there
};
/// Above the band in which it plays within 20 dB of its loudest nothing is looked at.
[[nodiscard]] Threshold threshold_of(const Harmonics& h, double percent);

}  // namespace lalometer
