#pragma once

#include "acoustics/level/multitone.h"
#include "acoustics/level/steady_tones.h"
#include "book/records.h"
#include "exchange/audio_file.h"

namespace lalometer {

/// What any player can play, for recorders that do not know this program.
struct StimulusWish {
  double start_hz = 20.0;
  double stop_hz = 20000.0;
  double duration_s = 3.0;  ///< lengthened by up to a period of `start_hz` (make_synchronised())
  double lead_in_s = 0.5;
  double sample_rate_hz = 48000.0;
  double amplitude = 0.5;  ///< peak re full scale
  int repeats = 1;
  /// From start to start; 0: two seconds more than the sweep and its chirps.
  double period_s = 0.0;
  ChirpTrain chirps = {};         ///< around each sweep; the lead-in grows by them
  bool chirps_by_second = false;  ///< on a channel of their own, for a loudspeaker that stays
  /// Short tones a second apart before everything, for whoever starts a recorder by ear.
  int count_in = 0;
};

/// Tones at once, for what a loudspeaker adds to them.
struct MultitoneFileWish {
  MultitoneWish tones;
  double duration_s = 12.0;  ///< whole periods
  double lead_in_s = 0.5;
  double amplitude = 0.5;  ///< peak re full scale
  int count_in = 0;
};

/// Tones one after the other.
struct SteadyFileWish {
  SteadyTonesWish tones;
  double lead_in_s = 0.5;
  double amplitude = 0.5;  ///< peak re full scale
  int count_in = 0;
};

/// The chirps that are played where nobody asks for others.
inline constexpr int kUsualChirps = 4;

struct StimulusFile {
  AudioData sound;    ///< one channel or two, two seconds of silence at its end
  Stimulus stimulus;  ///< as a set tells it; the count-in stands before its lead-in
  double count_in_s = 0.0;
};

struct MultitoneFile {
  AudioData sound;
  Multitone tones;
  double count_in_s = 0.0;
  double duration_s = 0.0;
};

/// The sweep without fades: it begins at zero, and so the ideal sweep is exactly its reference (a
/// fade of 0.5 ms at the end would be 0.05 dB at 16 kHz). Wishes that cannot be are refused.
[[nodiscard]] Result<StimulusFile> stimulus_file(const StimulusWish& wish);
[[nodiscard]] Result<MultitoneFile> multitone_file(const MultitoneFileWish& wish);
struct SteadyFile {
  AudioData sound;
  SteadyTones tones;
  double count_in_s = 0.0;
};
[[nodiscard]] Result<SteadyFile> steady_file(const SteadyFileWish& wish);

/// Sweep and chirps of a stimulus, as it is played; the sweep begins `lead_in_s` after sample 0.
/// Chirps go to the last channel (the only one, or a second).
[[nodiscard]] std::vector<std::vector<double>> played_samples(const Stimulus& stimulus,
                                                              double sample_rate_hz,
                                                              double silence_s,
                                                              std::size_t channels);

}  // namespace lalometer
