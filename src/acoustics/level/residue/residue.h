#pragma once

#include <span>
#include <string>
#include <vector>

#include "acoustics/signal/sweep.h"

/// What a sweep leaves above its tenth order: what touches, rattles or hisses.
namespace lalometer {

/// Over the excitation's frequency, a stretch of the sweep for each sixth of an octave (or four
/// periods, where that is longer).
struct Residue {
  std::vector<double> frequency_hz;
  std::vector<double> sweep;           ///< rms of all that is heard of the stretch, signal's unit
  std::vector<double> rms;             ///< of the residue, the noise's power taken off
  std::vector<double> noise;           ///< rms of the silence in the same band
  std::vector<double> crest_db;        ///< its peak over its rms, noise and all
  std::vector<double> noise_crest_db;  ///< what noise of this band and length would have
  /// How alike its envelope is from one period of the excitation to the next, -1 to 1: what touches
  /// does so in each.
  std::vector<double> repeats;
  std::vector<double> periods;  ///< of the excitation in the stretch

  /// 6 dB over the noise.
  [[nodiscard]] bool heard(std::size_t i) const { return rms[i] >= 2.0 * noise[i]; }
  /// Heard, and in peaks: 6 dB over noise's own crest (common practice, no source; noise that
  /// swells with the cone has up to 4).
  [[nodiscard]] bool in_peaks(std::size_t i) const {
    return heard(i) && crest_db[i] > noise_crest_db[i] + 6.0;
  }
};

/// All above 10.5 times the highest frequency within a stretch, up to 0.45 of the rate or 20 kHz;
/// up to where that leaves an octave. A sweep of 6 s and more has enough periods in the bass.
/// @param signal     the recording; its sweep arrives at `arrives_at` (samples).
/// @param silence    of the same channel, without the sweep; at least 50 ms.
[[nodiscard]] Residue residue_of(std::span<const double> signal, const SweepSpec& spec,
                                 double arrives_at, std::span<const double> silence);

/// A residue against that of a good one, each re its own sweep.
struct ResidueChange {
  std::vector<double> frequency_hz;
  std::vector<double> more_db;  ///< NaN where neither is heard
  /// Ranges of the excitation in which it is heard and 10 dB over the good one's (or over the good
  /// one's noise): common practice, no source.
  struct Worse {
    double low_hz = 0.0;
    double high_hz = 0.0;
    double most_db = 0.0;
    double at_hz = 0.0;
    bool in_peaks = false;  ///< it touches or rattles; else it hisses
  };
  std::vector<Worse> worse;
};
[[nodiscard]] ResidueChange residue_change(const Residue& own, const Residue& good);

}  // namespace lalometer
