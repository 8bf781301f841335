#pragma once

#include <array>
#include <vector>

#include "acoustics/signal/fft.h"
#include "acoustics/spectrum/frequency_axis.h"

/// A loudspeaker's impulse response divided by the minimum phase of its own magnitude: what is left
/// is a short pulse at its delay, one more at each reflection's.
namespace lalometer {

/// Where the band lies that tells of the loudspeaker, and its magnitude there, smoothed by a third
/// of an octave. Points of an even grid over log frequency, which starts at the bin `first`.
struct Passband {
  static constexpr double kGridPoints = 24.0;  ///< an octave

  std::size_t first = 1;
  std::size_t low = 0;
  std::size_t high = 0;
  std::size_t upper_10db = 0;  ///< the highest point within 10 dB of the loudest
  bool open_above = false;     ///< the excitation ends before the loudspeaker does
  std::vector<double> magnitude = {};

  [[nodiscard]] double bin(std::size_t point) const;
  [[nodiscard]] std::size_t first_bin() const;
};
/// @param bins   one-sided spectrum, `step_hz` apart.
/// @param noise  of the same length; null where there is none. What does not stand out of it tells
///               nothing.
[[nodiscard]] Passband passband_of(const Spectrum& bins, const Spectrum* noise, double step_hz,
                                   const ValidRange& excited);

/// The response divided by its own minimum phase, in steps of a sample or of half a one: so that
/// the band ends at half of what the steps carry.
class OwnPulse {
 public:
  /// @param bins    of a stretch of `length` samples, padded to n.
  OwnPulse(const Spectrum& bins, std::size_t n, const Passband& band, std::size_t length);

  [[nodiscard]] std::size_t steps_a_sample() const { return steps_; }
  /// Over the whole padded length.
  [[nodiscard]] const Samples& samples() const { return samples_; }
  /// Of its steps, those of the stretch.
  [[nodiscard]] std::size_t span() const { return span_; }
  /// Where its top near a step is, in steps.
  [[nodiscard]] double exact_top(std::size_t step) const;
  /// What is left when the window's own pulse, with all that swings before and after it, is taken
  /// out of a place, in steps.
  [[nodiscard]] Samples rest_beside(double at) const;

 private:
  template <std::size_t kCount>
  [[nodiscard]] std::array<double, kCount> values_at(const std::array<double, kCount>& at) const;
  void divide(const Spectrum& bins, const Passband& band);

  std::size_t steps_;
  std::size_t first_bin_;
  Spectrum bins_ = {};  ///< divided, from the first that is not 0
  std::vector<double> window_ = {};
  Samples samples_;
  std::size_t span_;
};

/// Where a step's neighbours put the top of magnitude near it, in steps.
[[nodiscard]] double top_of(const Samples& x, std::size_t step);
/// First local top of at least half the largest, at most `reach` before it. A crossover's all-pass
/// leaves a pulse of one sign with a tail of the other, which may stand higher than the pulse once
/// both are band-limited.
[[nodiscard]] std::size_t first_top(const Samples& x, std::size_t largest, std::size_t reach);

}  // namespace lalometer
