#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <vector>

#include "acoustics/signal/sweep.h"

/// What can be said of a recording from its samples alone. Levels are re full scale 1.0.
namespace lalometer {

/// Clipping: samples that stand at the rail. A rail is the largest magnitude of the recording where
/// at least three samples in a row stay within 1e-4 of it (a clean sine does so only below one
/// cycle per 200 samples and only at a level that says nothing of the converter, so the rail must
/// also be >= 0.5). Of a stage before the converter the tops carry its noise: twenty of them, five
/// samples long and more within 0.2 % of the largest magnitude (0.02 at least), with edges that no
/// sine has.
struct Clipping {
  std::size_t clipped_count = 0;  ///< samples at the rail, in runs of three or more
  double rail = 0.0;              ///< magnitude of the rail, 0 where there is none
};
[[nodiscard]] Clipping find_clipping(std::span<const double> signal, double full_scale = 1.0);

/// Largest magnitude; 0 for an empty signal.
[[nodiscard]] double peak_of(std::span<const double> signal);
/// Sum of squares.
[[nodiscard]] double energy_of(std::span<const double> signal);
/// The first sample of the largest magnitude, and the sum of squares, in one pass.
struct Loudest {
  std::size_t at = 0;
  double magnitude = 0.0;
  double energy = 0.0;

  /// The samples that come next, the first of which is number `from`.
  void hear(std::span<const double> next, std::size_t from);
};
[[nodiscard]] Loudest loudest_of(std::span<const double> signal);
/// Root mean square; 0 for an empty signal.
[[nodiscard]] double rms_of(std::span<const double> signal);

/// Runs of at least `shortest_run` equal samples (a dropout filled with zeros or with the last
/// value) inside the given stretch; quiet converters without noise repeat too, so only stretches
/// that should hold signal are searched.
[[nodiscard]] std::size_t longest_constant_run(std::span<const double> signal);

/// Signal to noise of one band: energy of the sweep's response over the noise that will share its
/// place in the deconvolved result.
struct BandSnr {
  double centre_hz;
  double snr_db;
};

/// Per-octave signal-to-noise, from the silence before the sweep and the stretch that holds it.
/// Noise is scaled from the silence's length to the window's in which the response will be read.
/// @param window_s  length of the gate (or of the whole response) that the noise enters with.
[[nodiscard]] std::vector<BandSnr> band_snr(std::span<const double> silence,
                                            std::span<const double> sweep_part,
                                            const SweepSpec& spec, double window_s);

}  // namespace lalometer
